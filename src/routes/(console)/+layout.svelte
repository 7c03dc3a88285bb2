<script lang="ts">
	import { invalidate } from '$app/navigation';
	import { page } from '$app/state';
	import { onMount, type Snippet } from 'svelte';
	import { Toaster } from 'svelte-sonner';
	import CardPanel from '$lib/ui/cards/CardPanel.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import { arrive } from '$lib/ui/frame/arrive';
	import CommandMenu from '$lib/ui/frame/CommandMenu.svelte';
	import Header from '$lib/ui/frame/Header.svelte';
	import KeysHelp from '$lib/ui/frame/KeysHelp.svelte';
	import LabBench from '$lib/ui/frame/LabBench.svelte';
	import Ribbon from '$lib/ui/frame/Ribbon.svelte';
	import ScopeLine from '$lib/ui/frame/ScopeLine.svelte';
	import { tellWhenUsed } from '$lib/ui/frame/here';
	import { commandsFor, search } from '$lib/ui/frame/commands';
	import { keysOf } from '$lib/ui/frame/keys';
	import { follow } from '$lib/ui/frame/live';
	import { STAGES, stagePath } from '$lib/ui/frame/stages';
	import Tray from '$lib/ui/frame/Tray.svelte';
	import { call } from '$lib/ui/plan/api';
	import Effects from '$lib/ui/plan/Effects.svelte';

	let { data, children }: { data: import('./$types').LayoutData; children: Snippet } = $props();
	let menu = $state(false);
	let bench = $state(false);
	let keys = $state(false);
	let scopeLine: ScopeLine | undefined = $state();
	let ribbon: Ribbon | undefined = $state();
	let tray: Tray | undefined = $state();
	/** The clock as last heard of, between loads. */
	let heard = $state<{ now: number; speed: number } | null>(null);
	const now = $derived(heard ? Math.max(heard.now, data.clock.now) : data.clock.now);
	const speed = $derived(heard?.speed ?? data.clock.speed);

	/** A page that says itself what the plan comes to needs no review beside it, until somebody asks for one. */
	const saidThere = $derived((page.data as { saysPlan?: boolean }).saysPlan === true);
	// Once for each plan: whoever shuts the review is not shown it again because something moved.
	const planned = $derived(data.plan?.id ?? null);
	let reviewing = $derived(planned !== null && !saidThere);
	const panel = $derived(data.plan !== null && reviewing ? 'plan' : data.card || data.cardMissing ? 'card' : null);

	onMount(() => {
		document.documentElement.dataset.ready = 'yes';
		const quiet = tellWhenUsed();
		const end = follow({ live: () => data.look.live, clock: (told) => (heard = told) });
		return () => {
			quiet();
			end();
		};
	});

	const commands = $derived(
		commandsFor(data, {
			bench: () => (bench = true),
			keys: () => (keys = true)
		})
	);
	const onKey = keysOf({
		menu: () => (menu = !menu),
		menuOpen: () => menu,
		commit: () => (data.plan ? tray?.commit() : undefined),
		narrow: () => scopeLine?.narrow(),
		nudge: (by) => ribbon?.nudge(by),
		review: () => data.plan && (reviewing = !reviewing),
		help: () => (keys = !keys),
		close() {
			if (keys) keys = false;
			else if (bench) bench = false;
			else if (data.card) void arrive({ card: null }, { keepFocus: true, noScroll: true });
		}
	});
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
		part={data.caller.part}
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
				working={data.jobs}
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
<CommandMenu
	bind:open={menu}
	things={commands.things}
	doThis={commands.acts}
	find={(text) => search(text, data.look)}
/>
<Toaster position="top-right" theme={data.theme === 'night' ? 'dark' : 'light'} />
