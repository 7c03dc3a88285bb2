<script lang="ts">
	import { arrive } from '$lib/ui/frame/arrive';
	import { drawCells, type CellMark, type KeptCells } from './cells';

	interface Props {
		cells: (CellMark & { name: string })[];
		label: string;
		theme: string;
	}
	let { cells, label, theme }: Props = $props();
	let kept: KeptCells = {};
	/** The cell that was under the pointer when it was drawn last: its frame goes with the next drawing. */
	let framed = -1;
	const SIZE = 9;
	const GAP = 2;
	let width = $state(0);
	let canvas: HTMLCanvasElement | undefined = $state();
	let over = $state(-1);
	const columns = $derived(Math.max(1, Math.floor(width / (SIZE + GAP))));
	const height = $derived(Math.ceil(cells.length / columns) * (SIZE + GAP) + 1);
	const words = { use: 'in use', ready: 'ready', off: 'off', starting: 'starting', trouble: 'in trouble' };
	const hovered = $derived(over >= 0 ? cells[over] : undefined);
	const summary = $derived(
		(['trouble', 'use', 'ready', 'starting', 'off'] as const)
			.map((m) => [cells.filter((c) => c.mark === m).length, words[m]] as const)
			.filter(([n]) => n)
			.map(([n, w]) => `${n} ${w}`)
			.join(', ')
	);

	$effect(() => {
		if (!canvas || !width) return;
		void theme;
		const style = getComputedStyle(document.documentElement);
		const c = (name: string) => style.getPropertyValue(name).trim();
		const ratio = devicePixelRatio || 1;
		// Setting the size empties a canvas: it is set when it has become another.
		const [w, h] = [Math.floor(width * ratio), Math.floor(height * ratio)];
		if (canvas.width !== w || canvas.height !== h) {
			canvas.width = w;
			canvas.height = h;
			kept = {};
		}
		const g = canvas.getContext('2d')!;
		g.setTransform(ratio, 0, 0, ratio, 0, 0);
		const paint = {
			sheet: c('--sheet'),
			sea: c('--sea'),
			sea2: c('--sea2'),
			sand: c('--sand'),
			buoy: c('--buoy'),
			off: c('--hair')
		};
		// What stood around the framed cell is drawn anew.
		if (framed >= 0) kept = { ...(kept.image ? { image: kept.image } : {}) };
		drawCells(g, cells, { columns, size: SIZE, gap: GAP, ratio }, paint, kept);
		framed = over;
		if (over >= 0 && over < cells.length) {
			g.strokeStyle = c('--ink');
			g.lineWidth = 1.5;
			g.strokeRect(
				(over % columns) * (SIZE + GAP) - 0.5,
				Math.floor(over / columns) * (SIZE + GAP) - 0.5,
				SIZE + 2,
				SIZE + 2
			);
		}
	});
	const cellAt = (e: MouseEvent) => {
		const box = canvas!.getBoundingClientRect();
		const column = Math.floor((e.clientX - box.left) / (SIZE + GAP));
		const i = Math.floor((e.clientY - box.top) / (SIZE + GAP)) * columns + column;
		return column < columns && i < cells.length ? i : -1;
	};
	const open = (i: number) =>
		i >= 0 && void arrive({ card: `machine/${cells[i]!.name}` }, { keepFocus: true, noScroll: true });
	function onKey(e: KeyboardEvent) {
		const by = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: columns, ArrowUp: -columns }[e.key];
		if (by) {
			e.preventDefault();
			over = Math.min(cells.length - 1, Math.max(0, over + by));
		} else if (e.key === 'Enter') open(over);
	}
</script>

<div bind:clientWidth={width} class="relative">
	<!-- One canvas for all cells: thousands of elements would stutter. Arrow keys walk over them. -->
	<div role="application" aria-label="{label}: {summary}. Arrow keys walk over machines, Enter opens one.">
		<!-- svelte-ignore a11y_no_interactive_element_to_noninteractive_role -->
		<canvas
			bind:this={canvas}
			tabindex="0"
			role="img"
			aria-label="{label}: {summary}"
			style="width:{width}px;height:{height}px"
			class="block cursor-pointer"
			onpointermove={(e) => (over = cellAt(e))}
			onpointerleave={() => (over = -1)}
			onclick={(e) => open(cellAt(e))}
			onkeydown={onKey}
		></canvas>
	</div>
	{#if hovered}
		<div
			class="bg-deck text-decktext pointer-events-none absolute z-20 rounded px-2 py-0.5 text-[12px] whitespace-nowrap"
			style="left:{Math.min(width - 150, (over % columns) * (SIZE + GAP))}px;top:{Math.floor(over / columns) *
				(SIZE + GAP) +
				14}px"
			role="status"
		>
			{hovered.name}: {words[hovered.mark]}{hovered.mark === 'use' ? `, strain ${hovered.strain}` : ''}
		</div>
	{/if}
</div>
