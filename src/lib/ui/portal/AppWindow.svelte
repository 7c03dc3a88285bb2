<script lang="ts">
	import type { Snippet } from 'svelte';
	import DeskWindow from './DeskWindow.svelte';

	/** What an app of the simulated desktop shows: plain, of our own drawing, and another for each kind of app. */
	interface Props {
		/** What people call the app. */
		name: string;
		version: string;
		/** Who is signed in. */
		person: string;
		/** Over the whole of what is there. */
		full?: boolean;
		nth?: number;
		front?: boolean;
		used?: () => void;
		/** What closes it. */
		close?: Snippet;
	}
	let { name, version, person, full = false, nth = 0, front = true, used, close }: Props = $props();
	const KINDS = ['chart', 'console', 'form', 'sheet'] as const;
	const seed = $derived([...name].reduce((n, c) => n + c.charCodeAt(0), 0));
	const kind = $derived(KINDS[seed % KINDS.length]!);
	let typed = $state('');
	let lines: string[] = $state([]);
	const points = $derived(
		Array.from({ length: 24 }, (_v, i) => `${i * 10},${30 + 18 * Math.sin((i + seed) / 3)}`).join(' ')
	);
</script>

<DeskWindow {name} detail={version} {full} {nth} {front} {close} {...used ? { used } : {}}>
	{#if kind === 'form'}
		<div class="grid grid-cols-[130px_1fr] items-center gap-x-3 gap-y-2">
			{#each ['Line', 'Sheet', 'Depth in m', 'Remarks'] as label (label)}
				<label class="contents"
					><span class="text-[13px] text-[#4a5a6e]">{label}</span><input
						class="rounded border border-[#c9c3b2] bg-white px-2 py-1"
					/></label
				>
			{/each}
		</div>
		<p class="mt-3 text-[13px] text-[#4a5a6e]">A form of {name}, filled in by {person}. Nothing in it is kept.</p>
	{:else if kind === 'console'}
		<form
			class="rounded bg-[#15253b] p-3 font-mono text-[13px] text-[#cfe3d8]"
			onsubmit={(e) => {
				e.preventDefault();
				lines = [...lines.slice(-8), `> ${typed}`, `${name.toLowerCase()}: ${typed.length} characters understood`];
				typed = '';
			}}
		>
			<div>{name} {version}, {person}</div>
			{#each lines as l, i (i)}<div>{l}</div>{/each}
			<label class="flex gap-1"
				><span aria-hidden="true">&gt;</span><span class="sr-only">Command</span><input
					class="flex-1 border-0 bg-transparent text-inherit outline-offset-2"
					bind:value={typed}
					autocomplete="off"
				/></label
			>
		</form>
	{:else if kind === 'sheet'}
		<table class="w-full border-collapse text-[13px]">
			<thead
				><tr
					><td class="border border-[#ddd8cb]"></td>{#each ['A', 'B', 'C'] as h (h)}<th
							class="border border-[#ddd8cb] px-2 py-1">{h}</th
						>{/each}</tr
				></thead
			>
			<tbody>
				{#each [1, 2, 3, 4, 5] as r (r)}<tr
						><th class="border border-[#ddd8cb] px-2 py-1 text-[#4a5a6e]">{r}</th>{#each [1, 2, 3] as c (c)}<td
								class="border border-[#ddd8cb] px-2 py-1 text-right">{((seed * r * c) % 97) / 10}</td
							>{/each}</tr
					>{/each}
			</tbody>
		</table>
		<p class="mt-3 text-[13px] text-[#4a5a6e]">A sheet of {name}, opened by {person}.</p>
	{:else}
		<svg viewBox="0 0 230 70" class="w-full" role="img" aria-label="A line of soundings"
			><rect width="230" height="70" fill="#eef3f2" /><polyline
				{points}
				fill="none"
				stroke="#0a5c7d"
				stroke-width="1.5"
			/></svg
		>
		<p class="mt-3 text-[13px] text-[#4a5a6e]">A chart of {name}, drawn for {person}.</p>
	{/if}
</DeskWindow>
