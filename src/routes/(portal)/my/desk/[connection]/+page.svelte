<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { page } from '$app/state';
	import { durationWords } from '$lib/core/time/units';
	import { PHASES } from '$lib/core/watch/phases';

	let { data } = $props();
	let progress = $state(untrack(() => data.progress));
	const words: Record<string, string> = {
		gateway: 'Reaching your organisation',
		brokering: 'Choosing a machine for you',
		waiting: 'Getting a machine ready',
		protocol: 'Setting up the display',
		directory: 'Signing you in',
		profile: 'Bringing your files and settings',
		policies: 'Applying settings',
		drives: 'Connecting drives and printers',
		shell: 'Starting your desktop'
	};
	const done = $derived(new Map(progress.phases.map((p) => [p.name as string, p.ms])));
	let note = $state('');

	onMount(() => {
		document.documentElement.dataset.ready = 'yes';
		const timer = setInterval(async () => {
			if (progress.result !== 'opening') return;
			const response = await fetch(`${page.url.pathname}/progress`);
			if (response.ok) progress = (await response.json()) as typeof progress;
		}, 400);
		return () => clearInterval(timer);
	});
</script>

<svelte:head><title>{data.name} · Sextant</title></svelte:head>
{#if progress.result === 'opening'}
	<main class="mx-auto max-w-[460px] px-5 pt-[12vh]">
		<h1 class="text-[22px]">Opening {data.name}</h1>
		<ol class="mt-5 flex flex-col gap-2 text-[15px]" aria-live="polite">
			{#each PHASES as phase (phase)}
				{@const on = progress.phase === phase}
				<li class={['flex justify-between', on ? 'text-ink font-[650]' : done.has(phase) ? 'text-ink2' : 'text-ink3']}>
					<span>{done.has(phase) && !on ? '✓' : on ? '→' : '·'} {words[phase]}</span>
					<span class="text-ink3 text-[13px]"
						>{done.has(phase) && !on
							? durationWords(done.get(phase)!)
							: on && data.usual[phase]
								? `usually ${durationWords(data.usual[phase]!)}`
								: ''}</span
					>
				</li>
			{/each}
		</ol>
		{#if progress.phase === 'waiting'}<p class="bg-seawash mt-4 rounded-md px-3 py-2 text-[14px]">
				A machine is being started for you. This takes a few minutes; you can leave this page open.
			</p>{/if}
	</main>
{:else if progress.result === 'open'}
	<div class="flex h-screen flex-col">
		<header class="bg-deck text-decktext flex flex-wrap items-center gap-3 px-4 py-2 text-[14px]">
			<b>{data.name}</b><span class="text-deck2">on {progress.machine}</span>
			<span class="text-deck2 ml-auto text-[13px]"
				>{data.channels.length ? `passes through ${data.channels.join(', ')}` : 'passes nothing through'}</span
			>
			<form method="POST" action="?/disconnect"><button class="btn">Disconnect</button></form>
			<form method="POST" action="?/signout"><button class="btn">Sign out</button></form>
		</header>
		<main class="relative flex-1 overflow-hidden bg-[#24425a]" aria-label="Desktop of {progress.machine}">
			<h1 class="sr-only">{data.name}</h1>
			<svg class="absolute inset-0 h-full w-full" aria-hidden="true" preserveAspectRatio="none" viewBox="0 0 100 60"
				><path d="M0 38C15 34 22 42 38 38S70 33 100 39V60H0Z" fill="#1b3448" /><path
					d="M0 46c18-4 30 3 48-1s34-4 52 1v14H0Z"
					fill="#152a3c"
				/></svg
			>
			<section
				class="absolute top-[9%] left-[8%] w-[440px] max-w-[84%] rounded-md bg-[#fbfaf5] text-[#15253b] shadow-2xl"
				aria-label="Notes"
			>
				<div class="rounded-t-md bg-[#dfe6ea] px-3 py-1.5 text-[13px] font-semibold">Notes</div>
				<label class="block p-3 text-[14px]"
					><span class="text-[13px] text-[#4a5a6e]"
						>Signed in as {data.person}. This desktop is simulated: type here, and it stays until you leave.</span
					><textarea
						class="mt-2 h-28 w-full resize-none rounded border border-[#ddd8cb] bg-white p-2 text-[#15253b]"
						bind:value={note}></textarea></label
				>
			</section>
			<div
				class="absolute bottom-0 flex w-full items-center gap-3 bg-[#0f1e2c]/85 px-4 py-2 text-[13px] text-[#dce5ec]"
			>
				<span class="rounded bg-[#2c4a60] px-2 py-0.5">Notes</span><span class="ml-auto">{progress.machine}</span>
			</div>
		</main>
	</div>
{:else}
	<main class="mx-auto max-w-[480px] px-5 pt-[14vh]">
		<h1 class="text-[22px]">{data.name} did not open</h1>
		<p class="text-ink2 mt-3 text-[15px]">
			{progress.result === 'refused'
				? 'You may not open it right now.'
				: progress.result === 'gave up'
					? 'No machine became free in time.'
					: 'The connection was lost on the way. It is not your fault, and nothing of yours is lost.'}
		</p>
		<p class="mt-2 text-[15px]">{progress.advice}</p>
		<ul class="text-ink3 mt-3 text-[13.5px]">
			{#each progress.cause as f, i (i)}<li>{f.words}</li>{/each}
		</ul>
		<p class="mt-5 flex gap-2"><a class="btn btn-go" href="/my">Back to my shelf</a></p>
	</main>
{/if}
