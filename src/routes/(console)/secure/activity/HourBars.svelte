<script lang="ts">
	import { numberWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';

	/** Decisions hour by hour: those that let somebody through, and those that did not on top of them. */
	interface Props {
		hours: readonly { at: number; through: number; refused: number }[];
		zone: string;
	}
	let { hours, zone }: Props = $props();
	const most = $derived(Math.max(1, ...hours.map((h) => h.through + h.refused)));
	const first = $derived(hours[0]?.at ?? 0);
	const last = $derived(hours.at(-1)?.at ?? 0);
	const H = 72;
	const W = 10;
	const busiest = $derived(hours.reduce((a, h) => (h.through + h.refused > a.through + a.refused ? h : a), hours[0]!));
</script>

<figure class="mt-2">
	<svg
		class="block h-[72px] w-full"
		viewBox="0 0 {hours.length * W} {H}"
		preserveAspectRatio="none"
		role="img"
		aria-label="Decisions hour by hour: at most {numberWords(most)} in an hour, from {momentWords(zone, busiest.at)}"
	>
		{#each hours as h, i (h.at)}
			{@const t = (h.through / most) * (H - 2)}
			{@const r = (h.refused / most) * (H - 2)}
			<rect class="fill-sea2" x={i * W + 1} y={H - t} width={W - 2} height={t} />
			<rect class="fill-buoy" x={i * W + 1} y={H - t - r} width={W - 2} height={r} />
		{/each}
	</svg>
	<figcaption class="text-ink2 flex justify-between text-[12px] tabular-nums">
		<span>{momentWords(zone, first)}</span>
		<span>at most {numberWords(most)} in an hour, from {momentWords(zone, busiest.at)}</span>
		<span>{momentWords(zone, last)}, as far as it has come</span>
	</figcaption>
</figure>
