<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import { momentWords } from '$lib/core/time/zone';
	import { FAULTS } from './faults';
	import { call } from '$lib/ui/plan/api';

	interface Props {
		open: boolean;
		zone: string;
		now: number;
		speed: number;
		may: boolean;
	}
	let { open = $bindable(), zone, now, speed, may }: Props = $props();
	let faults: { id: number; kind: string; target: string; since: number; value: number | null }[] = $state([]);
	let kind = $state('agent-stopped');
	let target = $state('');
	let problem = $state('');
	let busy = $state(false);
	let device = $state('');
	let noDevice = $state('');
	let started = $state('');
	const hint = $derived(FAULTS.find((f) => f.kind === kind)!.hint);

	async function load() {
		const answer = await call<{ rows: typeof faults }>('GET', '/lab/faults');
		if (answer.ok) faults = answer.value.rows;
	}
	$effect(() => {
		if (open) void load();
	});
	async function clock(to: { speed?: number; paused?: boolean; step?: number }) {
		busy = true;
		const answer = await call('POST', '/lab/clock', to);
		busy = false;
		problem = answer.ok ? '' : answer.refusal.detail;
		await invalidateAll();
	}
	async function add(e: SubmitEvent) {
		e.preventDefault();
		const answer = await call('POST', '/lab/faults', { kind, target });
		problem = answer.ok ? '' : answer.refusal.detail;
		if (answer.ok) target = '';
		await load();
	}
	async function start(e: SubmitEvent) {
		e.preventDefault();
		const answer = await call('POST', '/lab/endpoints', { endpoint: device });
		noDevice = answer.ok ? '' : (answer.refusal.errors?.[0]?.words ?? answer.refusal.detail);
		started = answer.ok ? `${device} is switched on.` : '';
		if (answer.ok) device = '';
	}
	async function clear(id: number) {
		await call('DELETE', `/lab/faults/${id}`);
		await load();
	}
</script>

<aside
	class="border-plum bg-plumwash text-ink fixed right-0 bottom-[96px] z-40 w-[380px] max-w-full rounded-tl-lg border-2 border-dashed p-4 text-[13px] shadow-xl"
	aria-label="Lab bench"
>
	<div class="flex items-baseline">
		<h2 class="head text-plum">Lab bench <small>not part of Sextant: it plays the outside</small></h2>
		<button class="text-sea ml-auto" onclick={() => (open = false)}>close ×</button>
	</div>
	<p class="mt-2">{momentWords(zone, now)}, {speed === 0 ? 'paused' : `${speed} times as fast as the wall clock`}</p>
	{#if may}
		<div class="mt-2 flex flex-wrap gap-1.5">
			<button class="btn" disabled={busy} onclick={() => clock({ paused: speed !== 0 })}
				>{speed === 0 ? 'Go on' : 'Pause'}</button
			>
			{#each [1, 10, 60, 300, 600] as s (s)}<button
					class="btn"
					disabled={busy}
					aria-pressed={speed === s}
					onclick={() => clock({ speed: s, paused: false })}>×{s}</button
				>{/each}
			{#each [['10 min', 600], ['1 h', 3600], ['6 h', 21600]] as [words, seconds] (words)}<button
					class="btn"
					disabled={busy}
					onclick={() => clock({ step: Number(seconds) })}>+{words}</button
				>{/each}
		</div>
	{/if}
	<h3 class="head mt-3">Faults that are on</h3>
	<ul class="max-h-40 overflow-auto">
		{#each faults as f (f.id)}
			<li class="border-hair flex justify-between border-b py-1">
				<span>{f.kind}: {f.target}</span>{#if may}<button class="text-sea" onclick={() => clear(f.id)}
						>switch off<span class="sr-only"> {f.kind} {f.target}</span></button
					>{/if}
			</li>
		{:else}<li class="text-ink2 py-1">None.</li>{/each}
	</ul>
	{#if may}
		<form class="mt-2 flex flex-col gap-1.5" onsubmit={add}>
			<label
				>What fails <select class="field" bind:value={kind}
					>{#each FAULTS as f (f.kind)}<option value={f.kind}>{f.words}</option>{/each}</select
				></label
			>
			<label>Where <input class="field" bind:value={target} placeholder={hint} aria-invalid={problem !== ''} /></label>
			{#if problem}<p class="text-buoy" role="alert">{problem}</p>{/if}
			<button class="btn self-start">Switch the fault on</button>
		</form>
		<form class="mt-3 flex flex-col gap-1.5" onsubmit={start}>
			<label
				>A device to switch on <input
					class="field"
					bind:value={device}
					placeholder="its name or serial number"
					aria-invalid={noDevice !== ''}
				/></label
			>
			{#if noDevice}<p class="text-buoy" role="alert">{noDevice}</p>{:else if started}<p role="status">
					{started}
				</p>{/if}
			<button class="btn self-start">Switch the device on</button>
		</form>
	{/if}
</aside>
