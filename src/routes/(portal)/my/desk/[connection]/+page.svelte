<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { enhance } from '$app/forms';
	import { invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import { speakerOf } from '$lib/core/portal/say';
	import { PHASES } from '$lib/core/watch/phases';
	import { clockWords } from '$lib/core/time/zone';
	import Across from '$lib/ui/portal/Across.svelte';
	import { channelOf } from '$lib/core/reach/channels';
	import { sizeWords } from '$lib/core/time/units';
	import AppWindow from '$lib/ui/portal/AppWindow.svelte';
	import DeskWindow from '$lib/ui/portal/DeskWindow.svelte';
	import { keptWords } from '$lib/core/portal/kept';
	import Passing from '$lib/ui/portal/Passing.svelte';

	let { data, form } = $props();
	const say = $derived(speakerOf(data.language));
	let progress = $state(untrack(() => data.progress));
	let windows = $state(untrack(() => data.windows));
	let across = $state(untrack(() => data.across));
	let ways = $state(untrack(() => data.ways));
	const done = $derived(new Map(progress.phases.map((p) => [p.name as string, p.ms])));
	const shared = $derived(progress.sharing.some((f) => f.side === 'for'));
	/** Where a session is shared there is nobody to sign in and no desktop to start. */
	const phases = $derived(
		PHASES.filter((p) =>
			p === 'app' ? data.app !== null : !shared || ['gateway', 'brokering', 'waiting', 'protocol'].includes(p)
		)
	);
	const usually = $derived(
		data.starts.map((s) => say('desk.start-times', { span: say.span(s.ms), start: say(`start.${s.start}`) })).join(', ')
	);
	let note = $state('');
	/** Of an app that is opened alone: whether the window that tries out what passes is there. */
	let passingOpen = $state(false);
	let now = $state(untrack(() => data.now));
	/** Windows by the order in which they were used: the last stands in front. The notes are number 0, what passes the session -1. */
	const OWN = [0, -1];
	let used: number[] = $state([-1, 0]);
	const inFront = $derived(used.filter((run) => OWN.includes(run) || windows.some((w) => w.run === run)).at(-1) ?? 0);
	const use = (run: number) => {
		if (inFront !== run) used = [...used.filter((x) => x !== run), run];
	};
	// What has just been opened comes to the front.
	$effect(() => {
		const newest = windows.find((w) => !used.includes(w.run));
		if (newest) used = [...used, newest.run];
	});
	/** Channels of which anything passes. */
	const passing = $derived([...new Set(ways.flatMap((w) => (w.upTo === 0 ? [] : [channelOf(w.passage)])))]);
	const through = $derived(
		passing.length
			? say('desk.passes', { channels: passing.map((c) => say(`channel.${c}`)).join(', ') })
			: say('desk.passes-nothing')
	);
	/** What to do about it: in English as the gateway has it, which knows more of its own faults than can be said here. */
	const advice = $derived(
		progress.result === 'refused' && data.lack
			? say.lack(data.lack)
			: data.language === 'en' && progress.advice
				? progress.advice
				: say('desk.try-again')
	);

	onMount(() => {
		document.documentElement.dataset.ready = 'yes';
		const timer = setInterval(async () => {
			if (progress.result !== 'opening' && progress.result !== 'open') return;
			const response = await fetch(`${page.url.pathname}/progress`);
			if (!response.ok) return;
			const next = (await response.json()) as typeof progress & {
				windows: typeof windows;
				now: number;
				across: boolean;
				ways: typeof ways;
			};
			const turned = next.result !== progress.result;
			progress = next;
			windows = next.windows;
			across = next.across;
			ways = next.ways;
			now = next.now;
			// What can be started there is known once there is a machine.
			if (turned) await invalidateAll();
		}, 400);
		return () => clearInterval(timer);
	});
	const ownWindow = $derived(windows.find((w) => w.run === progress.run));
</script>

{#snippet closing(run: number, name: string)}
	<form method="POST" action="?/close" use:enhance>
		<input type="hidden" name="run" value={run} /><button
			class="rounded px-1.5 text-[13px] hover:bg-[#c9d4da]"
			aria-label={say('desk.close', { name })}>×</button
		>
	</form>
{/snippet}

{#snippet whatPasses()}
	<ul>
		{#if passing.length === 0}<li class="pb-1">{say('desk.passes-none')}</li>{/if}
		{#each ways as w (w.passage)}<li class="py-0.5">
				<b>{say(`way.${w.passage}`)}</b>:
				{w.upTo === 0
					? say('way.shut')
					: w.upTo === null
						? say('way.passes')
						: say('way.up-to', { size: sizeWords(w.upTo) })}{#if w.kept}<span class="block text-[#4a5a6e]"
						>{keptWords(say, w.kept)}
						{#if w.kept.by === 'own'}<a class="underline" href="/my/devices#channels">{say('head.devices')}</a
							>{/if}</span
					>{/if}
			</li>{/each}
	</ul>
{/snippet}

<svelte:head><title>{data.name} · Sextant</title></svelte:head>
{#if progress.result === 'opening'}
	<main class="mx-auto max-w-[460px] px-5 pt-[12vh]">
		<h1 class="text-[22px]">{say('desk.opening', { name: data.name })}</h1>
		{#each progress.sharing as f, i (i)}<p class="text-ink2 mt-2 text-[14px]">
				{say(f.side === 'for' ? 'desk.beside' : 'desk.machine-of-its-own')}
				<span class="text-ink3" lang="en">{f.words}</span>
			</p>{/each}
		<ol class="mt-5 flex flex-col gap-2 text-[15px]" aria-live="polite">
			{#each phases as phase (phase)}
				{@const on = progress.phase === phase}
				<li class={['flex justify-between', on ? 'text-ink font-[650]' : done.has(phase) ? 'text-ink2' : 'text-ink3']}>
					<span>{done.has(phase) && !on ? '✓' : on ? '→' : '·'} {say(`phase.${phase}`)}</span>
					<span class="text-ink3 text-[13px]"
						>{done.has(phase) && !on
							? say.span(done.get(phase)!)
							: on && data.usual[phase]
								? say('desk.usually', { span: say.span(data.usual[phase]!) })
								: ''}</span
					>
				</li>
			{/each}
		</ol>
		{#if progress.phase === 'waiting'}<p class="bg-seawash mt-4 rounded-md px-3 py-2 text-[14px]">
				{say('desk.being-started')}
			</p>{/if}
		{#if progress.phase === 'app'}<p class="bg-seawash mt-4 rounded-md px-3 py-2 text-[14px]">
				{say('desk.app-starts', { usually: usually || 'none' })}
			</p>{/if}
	</main>
{:else if progress.result === 'open'}
	<div class="flex h-screen flex-col">
		<header class="bg-deck text-decktext flex flex-wrap items-center gap-3 px-4 py-2 text-[14px]">
			<b>{data.name}</b><span class="text-deck2"
				>{say(shared ? 'desk.on-beside' : 'desk.on', { machine: progress.machine ?? '' })}</span
			>
			{#if progress.start}<span class="text-deck2"
					>{say('desk.start-times', {
						span: say.span(done.get('app') ?? 0),
						start: say(`start.${progress.start}`)
					})}</span
				>{/if}
			<span class="text-deck2 ml-auto text-[13px]">{data.app === null ? '' : through}</span>
			{#if ownWindow && data.app !== null}
				<button class="btn" aria-pressed={passingOpen} onclick={() => (passingOpen = !passingOpen)}
					>{say('pass.window')}</button
				>
			{/if}
			{#if data.app === null}
				<form method="POST" action="?/disconnect"><button class="btn">{say('desk.disconnect')}</button></form>
				<form method="POST" action="?/signout"><button class="btn">{say('desk.sign-out')}</button></form>
			{:else if progress.run !== null}
				<form method="POST" action="?/close">
					<input type="hidden" name="run" value={progress.run} /><button class="btn">{say('desk.close-app')}</button>
				</form>
			{/if}
		</header>
		{#if data.channels.unasked.length}
			<form
				method="POST"
				action="?/ask"
				use:enhance
				class="bg-sheet border-hair flex flex-wrap items-center gap-x-4 gap-y-1 border-b px-4 py-2 text-[14px]"
				aria-labelledby="ask-head"
			>
				<b id="ask-head">{say('desk.ask-head', { name: data.name })}</b>
				{#each data.channels.unasked as c (c)}
					<label class="flex items-center gap-1.5" title={say(`channel.${c}.what`)}
						><input type="hidden" name="asked" value={c} /><input type="checkbox" name="pass" value={c} checked />{say(
							`channel.${c}`
						)}</label
					>
				{/each}
				<button class="btn btn-go">{say('devices.save')}</button>
				<span class="text-ink2 text-[13px]">{say('desk.ask-lead')}</span>
				{#if form && 'refused' in form}<span class="text-buoy text-[13px]" role="alert">{form.refused}</span>{/if}
			</form>
		{/if}
		<main
			class="relative flex-1 overflow-hidden bg-[#24425a]"
			aria-label={data.app
				? say('desk.app-on', { name: data.name, machine: progress.machine ?? '' })
				: say('desk.desktop-of', { machine: progress.machine ?? '' })}
		>
			<h1 class="sr-only">{data.name}</h1>
			{#if across}<Across words="{data.person} · {say.day(now, data.zone)} {clockWords(data.zone, now)}" />{/if}
			<svg class="absolute inset-0 h-full w-full" aria-hidden="true" preserveAspectRatio="none" viewBox="0 0 100 60"
				><path d="M0 38C15 34 22 42 38 38S70 33 100 39V60H0Z" fill="#1b3448" /><path
					d="M0 46c18-4 30 3 48-1s34-4 52 1v14H0Z"
					fill="#152a3c"
				/></svg
			>
			{#if data.app}
				{#if ownWindow}
					<AppWindow name={data.name} version={ownWindow.version} person={data.person} full />
					{#if passingOpen}
						<DeskWindow name={say('pass.window')} width={440} front>
							<div class="-m-2 max-h-[58vh] overflow-y-auto p-2">
								<label class="mb-2 block text-[13px]"
									>{say('desk.notes')}<textarea
										class="mt-1 h-14 w-full resize-none rounded border border-[#ddd8cb] bg-white p-2 text-[14px] text-[#15253b]"
										bind:value={note}></textarea></label
								>
								<Passing {say} bind:notes={note} />
								<div class="border-hair mt-2 border-t pt-2 text-[13px]">{@render whatPasses()}</div>
							</div>
						</DeskWindow>
					{/if}
				{:else}<p class="absolute top-[30%] w-full text-center text-[15px] text-[#dce5ec]" role="status">
						{say('desk.closed', { name: data.name })} <a class="underline" href="/my">{say('desk.to-shelf')}</a>
					</p>{/if}
			{:else}
				<DeskWindow name={say('desk.notes')} width={440} front={inFront === 0} used={() => use(0)}>
					<label class="block"
						><span class="text-[13px] text-[#4a5a6e]">{say('desk.simulated', { person: data.person })}</span><textarea
							class="mt-2 h-28 w-full resize-none rounded border border-[#ddd8cb] bg-white p-2 text-[#15253b]"
							bind:value={note}></textarea></label
					>
				</DeskWindow>
				<DeskWindow name={say('pass.window')} width={440} nth={8} front={inFront === -1} used={() => use(-1)}>
					<Passing {say} bind:notes={note} />
				</DeskWindow>
				{#each windows as w, i (w.run)}
					<AppWindow
						name={w.name}
						version={w.version}
						person={data.person}
						nth={i + 2}
						front={inFront === w.run}
						used={() => use(w.run)}
					>
						{#snippet close()}{@render closing(w.run, w.name)}{/snippet}
					</AppWindow>
				{/each}
				<div
					class="absolute bottom-0 z-30 flex w-full flex-wrap items-center gap-3 bg-[#0f1e2c]/85 px-4 py-2 text-[13px] text-[#dce5ec]"
				>
					{#each [{ run: 0, name: say('desk.notes') }, { run: -1, name: say('pass.window') }, ...windows] as w (w.run)}
						<button
							class={['rounded px-2 py-0.5', inFront === w.run ? 'bg-[#2c4a60]' : 'hover:bg-[#22394c]']}
							aria-pressed={inFront === w.run}
							onclick={() => use(w.run)}><span class="sr-only">{say('desk.to-front')} </span>{w.name}</button
						>
					{/each}
					{#each data.startable as s (s.id)}
						<form method="POST" action="?/start" use:enhance>
							<input type="hidden" name="publication" value={s.id} /><button
								class="rounded border border-[#4b6a80] px-2 py-0.5 hover:bg-[#2c4a60]"
								>{say('desk.start', { name: s.name })}</button
							>
						</form>
					{/each}
					<details class="relative ml-auto">
						<summary class="cursor-pointer">{through}</summary>
						<div
							class="absolute right-0 bottom-full mb-2 w-[360px] rounded-md bg-[#fbfaf5] p-3 text-[13px] text-[#15253b] shadow-2xl"
						>
							{@render whatPasses()}
						</div>
					</details>
					<span>{progress.machine}</span>
					<time class="tabular-nums" datetime={new Date(now).toISOString()}
						>{say.day(now, data.zone)} {clockWords(data.zone, now)}</time
					>
				</div>
			{/if}
		</main>
	</div>
{:else}
	<main class="mx-auto max-w-[480px] px-5 pt-[14vh]">
		<h1 class="text-[22px]">{say('desk.did-not', { name: data.name })}</h1>
		<p class="text-ink2 mt-3 text-[15px]">
			{say(
				progress.result === 'refused' ? 'desk.refused' : progress.result === 'gave up' ? 'desk.gave-up' : 'desk.lost'
			)}
		</p>
		<p class="mt-2 text-[15px]">{advice}</p>
		<ul class="text-ink3 mt-3 text-[13.5px]" lang="en">
			{#each progress.cause as f, i (i)}<li>{f.words}</li>{/each}
		</ul>
		<p class="mt-5 flex gap-2"><a class="btn btn-go" href="/my">{say('desk.to-shelf')}</a></p>
	</main>
{/if}
