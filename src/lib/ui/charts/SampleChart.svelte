<script lang="ts">
	import type { drawSamples, SamplePoint } from './samples';

	interface Props {
		points: SamplePoint[];
		zone: string;
	}
	let { points, zone }: Props = $props();
	let canvas: HTMLCanvasElement | undefined = $state();
	let draw: typeof drawSamples | null = $state.raw(null);
	let missing = $state(false);

	// What draws is a third of what a page of the console would fetch: it comes with the first card that shows samples.
	$effect(() => {
		import('./samples').then(
			(module) => (draw = module.drawSamples),
			() => (missing = true)
		);
	});
	$effect(() => (canvas && draw ? draw(canvas, points, zone) : undefined));
	const last = $derived(points.at(-1));
</script>

<div class="h-[150px]">
	<!-- A picture with words for those who do not see it. -->
	<!-- svelte-ignore a11y_no_interactive_element_to_noninteractive_role -->
	<canvas
		bind:this={canvas}
		role="img"
		aria-label="Samples of the last hours. {last
			? `Lately strain ${last.strain}, cores ${Math.round(last.cores * 100)} %, memory ${Math.round(last.memory * 100)} %.`
			: 'None.'}"
	></canvas>
</div>
{#if missing}
	<p class="text-buoy text-[12.5px]" role="alert">The picture could not be fetched. Open the page again.</p>
{/if}
