<script lang="ts">
	import { goto, invalidate } from '$app/navigation';
	import { navigating, page } from '$app/state';
	import { onMount, type Snippet } from 'svelte';
	import { Toaster } from 'svelte-sonner';
	import CardPanel from '$lib/ui/cards/CardPanel.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import CommandMenu from '$lib/ui/frame/CommandMenu.svelte';
	import Header from '$lib/ui/frame/Header.svelte';
	import KeysHelp from '$lib/ui/frame/KeysHelp.svelte';
	import LabBench from '$lib/ui/frame/LabBench.svelte';
	import Ribbon from '$lib/ui/frame/Ribbon.svelte';
	import ScopeLine from '$lib/ui/frame/ScopeLine.svelte';
	import { tellWhenUsed } from '$lib/ui/frame/here';
	import { STAGES, stagePath } from '$lib/ui/frame/stages';
	import { switchTheme } from '$lib/ui/frame/theme';
	import Tray from '$lib/ui/frame/Tray.svelte';
	import { call } from '$lib/ui/plan/api';
	import Effects from '$lib/ui/plan/Effects.svelte';

	let { data, children }: { data: import('./$types').LayoutData; children: Snippet } = $props();
	let menu = $state(false);
	let bench = $state(false);
	let keys = $state(false);
	let reviewing = $state(false);
	let scopeLine: ScopeLine | undefined = $state();
	let ribbon: Ribbon | undefined = $state();
	let tray: Tray | undefined = $state();
	/** The clock as last heard of, between loads. */
	let heard = $state<{ now: number; speed: number } | null>(null);
	const now = $derived(heard ? Math.max(heard.now, data.clock.now) : data.clock.now);
	const speed = $derived(heard?.speed ?? data.clock.speed);
	const panel = $derived(data.plan !== null && reviewing ? 'plan' : data.card || data.cardMissing ? 'card' : null);

	$effect(() => {
		if (data.plan) reviewing = true;
		else reviewing = false;
	});

	onMount(() => {
		document.documentElement.dataset.ready = 'yes';
		const quiet = tellWhenUsed();
		const live = new EventSource('/live');
		let pending: ReturnType<typeof setTimeout> | null = null;
		const refresh = () => {
			// Views about the past do not move; live ones are asked again, at most every two seconds.
			if (pending) return;
			pending = setTimeout(() => {
				pending = null;
				// Asking again would call off a step to another page that is on its way.
				if (navigating.to) refresh();
				else if (!document.hidden) void invalidate('sextant:live');
			}, 2000);
		};
		live.addEventListener('estate', () => data.look.live && refresh());
		live.addEventListener('jobs', refresh);
		live.addEventListener('clock', (e) => (heard = JSON.parse((e as MessageEvent<string>).data) as typeof heard));
		return () => {
			quiet();
			live.close();
			if (pending) clearTimeout(pending);
		};
	});

	async function find(text: string) {
		const query = new URLSearchParams({ q: text, ...(data.look.live ? {} : { at: String(data.look.at) }) });
		const answer = await call<{ rows: { kind: string; id: string; name: string }[] }>('GET', `/search?${query}`);
		return answer.ok ? answer.value.rows : [];
	}
	const things = $derived([
		...data.names.pool.map((p) => ({ kind: 'pool', ...p })),
		...data.names.publication.map((p) => ({ kind: 'publication', ...p })),
		...data.names.gateway.map((g) => ({ kind: 'gateway', ...g }))
	]);
	const doThis = $derived([
		...(data.mayDraft.includes('image.build')
			? [{ words: 'Build a version', href: addressWith(page.url, {}, '/build') }]
			: []),
		...(data.mayDraft.includes('pool.create')
			? [{ words: 'Make a pool of machines', href: addressWith(page.url, { make: 'pool' }, '/publish') }]
			: []),
		...(data.mayDraft.includes('publication.create')
			? [{ words: 'Publish a desktop or an app', href: addressWith(page.url, { make: 'publication' }, '/publish') }]
			: []),
		...(data.mayDraft.includes('package.deliver')
			? [{ words: 'Deliver a package', href: addressWith(page.url, { make: 'delivery' }, '/publish/delivery') }]
			: []),
		...(data.mayDraft.includes('grant.add')
			? [{ words: 'Grant a publication', href: addressWith(page.url, { make: 'grant' }, '/publish') }]
			: []),
		{ words: 'Test access for a person', href: addressWith(page.url, {}, '/secure') },
		{ words: 'See who gets what', href: addressWith(page.url, {}, '/publish/who') },
		{ words: 'See the sessions', href: addressWith(page.url, { list: 'sessions' }, '/watch') },
		...(data.lab ? [{ words: 'Open the lab bench', run: () => (bench = true) }] : []),
		{ words: 'Day or night theme', run: switchTheme },
		{ words: 'Show all keys', run: () => (keys = true) }
	]);
	function onKey(e: KeyboardEvent) {
		if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'k') {
			e.preventDefault();
			menu = !menu;
			return;
		}
		if ((e.ctrlKey || e.metaKey) && e.key === 'Enter' && data.plan) {
			e.preventDefault();
			void tray?.commit();
			return;
		}
		const target = e.target as HTMLElement;
		if (
			e.ctrlKey ||
			e.metaKey ||
			e.altKey ||
			target.isContentEditable ||
			/^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) ||
			menu
		)
			return;
		const stage = STAGES.find((s) => s.key === e.key);
		if (stage) void goto(addressWith(page.url, {}, stage.path));
		else if (e.key === '/') {
			e.preventDefault();
			scopeLine?.narrow();
		} else if (e.key === '[') ribbon?.nudge(-1);
		else if (e.key === ']') ribbon?.nudge(1);
		else if (e.key === 'l') void goto(addressWith(page.url, { at: null }), { keepFocus: true });
		else if (e.key === 'w') document.getElementById('why')?.scrollIntoView();
		else if (e.key === 'p' && data.plan) reviewing = !reviewing;
		else if (e.key === 'j' || e.key === 'k') rowBy(e.key === 'j' ? 1 : -1);
		else if (e.key === '?') keys = !keys;
		else if (e.key === 'Escape') {
			if (keys) keys = false;
			else if (bench) bench = false;
			else if (data.card) void goto(addressWith(page.url, { card: null }), { keepFocus: true, noScroll: true });
		} else return;
	}
	/** j and k: to the next or previous thing of a view that is marked as a row. */
	function rowBy(by: number) {
		const rows = [...document.querySelectorAll<HTMLElement>('main [role="table"][tabindex="0"], main [data-row]')];
		if (rows.length === 0) return;
		const i = rows.indexOf(document.activeElement as HTMLElement);
		rows[Math.min(rows.length - 1, Math.max(0, i + by))]?.focus();
	}
	async function seen() {
		await call('POST', '/notices');
		await invalidate('sextant:live');
	}
</script>

<svelte:window onkeydown={onKey} />
<svelte:head
	><title
		>{STAGES.find((s) => s.path === stagePath(page.url.pathname))?.name ?? 'Sextant'} · {data.estate} · Sextant</title
	></svelte:head
>

<div
	class="grid h-screen grid-rows-[46px_auto_1fr_auto_auto] overflow-hidden has-[>[role=alert]]:grid-rows-[46px_auto_auto_1fr_auto_auto]"
>
	<Header who={data.caller} jobs={data.jobs} notices={data.notices} openMenu={() => (menu = true)} {seen} />
	<ScopeLine
		bind:this={scopeLine}
		scope={data.look.scope}
		problems={data.look.problems}
		at={data.look.at}
		live={data.look.live}
		future={data.look.future}
		zone={data.zone}
		names={data.names}
		figures={data.figures}
	/>
	{#if data.full}
		<p role="alert" class="bg-buoywash text-buoy border-hair border-b px-[18px] py-1.5 text-[13px]">
			The disk of Sextant’s data folder is full. Everything can be read, and nothing is changed until there is room on
			it.
		</p>
	{/if}
	<div class={['grid min-h-0', panel ? 'grid-cols-[minmax(0,1fr)_400px]' : 'grid-cols-[minmax(0,1fr)]']}>
		<main class="min-h-0 overflow-auto" id="view">
			{@render children()}
		</main>
		{#if panel === 'card'}
			<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
			<aside
				class="border-hair bg-sheet min-h-0 overflow-auto border-l px-[18px] py-[14px]"
				aria-label="Card"
				tabindex="0"
			>
				{#if data.card}
					<CardPanel card={data.card} zone={data.zone} canDo={(kind) => data.mayDraft.includes(kind)} />
				{:else}
					<p class="text-ink2 text-[13px]">
						There is no {(page.url.searchParams.get('card') ?? '').replace('/', ' ')} at this moment.
						<a class="link" href={addressWith(page.url, { card: null })}>Close</a>
					</p>
				{/if}
			</aside>
		{:else if panel === 'plan' && data.plan}
			<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
			<aside
				class="border-hair bg-sheet min-h-0 overflow-auto border-l px-[18px] py-[14px]"
				aria-label="Plan in review"
				tabindex="0"
			>
				<h2 class="mb-2 text-[15px] font-[650]">{data.plan.title}</h2>
				<Effects plan={data.plan} zone={data.zone} />
			</aside>
		{/if}
	</div>
	<div>
		{#if data.plan}<Tray
				bind:this={tray}
				plan={data.plan}
				{reviewing}
				zone={data.zone}
				{now}
				review={() => (reviewing = !reviewing)}
			/>{/if}
	</div>
	<footer class="relative">
		<Ribbon bind:this={ribbon} ribbon={data.ribbon} at={data.look.live ? now : data.look.at} live={data.look.live} />
		{#if data.lab}
			<button
				class="border-plum bg-plumwash text-plum absolute top-1 right-2 rounded-md border border-dashed px-2 py-0.5 text-[12.5px]"
				onclick={() => (bench = !bench)}
				aria-expanded={bench}>lab {speed === 0 ? 'paused' : `×${speed}`}</button
			>
		{/if}
	</footer>
</div>
{#if bench}<LabBench bind:open={bench} zone={data.zone} {now} {speed} may={data.mayLab} />{/if}
{#if keys}<KeysHelp close={() => (keys = false)} />{/if}
<CommandMenu bind:open={menu} {things} {doThis} {find} />
<Toaster position="top-right" theme={data.theme === 'night' ? 'dark' : 'light'} />
