<script lang="ts">
	import { clockWords } from '$lib/core/time/zone';
	import type { WaitSummary } from '$lib/core/capacity/waits';
	import { countWords, durationWords } from '$lib/core/time/units';
	import { bandPath, linePath, stepPath } from '$lib/ui/charts/paths';

	interface Props {
		day: { from: number; to: number; step: number; demand: number[]; capacity: number[]; starting: number[] };
		ahead: { at: number; middle: number; spread: number }[];
		waits: WaitSummary;
		zone: string;
		now: number;
		theme: string;
	}
	let { day, ahead, waits, zone, now }: Props = $props();
	let width = $state(860);
	const H = 240;
	const LEFT = 36;
	const BASE = 210;
	const x = (t: number) => LEFT + ((t - day.from) / (day.to - day.from)) * (width - LEFT - 8);
	const peak = $derived(Math.max(4, ...day.demand, ...day.capacity, ...ahead.map((a) => a.middle + a.spread)));
	const scale = $derived(peak <= 10 ? 2 : peak <= 25 ? 5 : peak <= 60 ? 10 : peak <= 150 ? 25 : 100);
	const y = (v: number) => BASE - (v / peak) * (BASE - 16);
	const at = (i: number) => day.from + i * day.step;
	const pointsOf = (values: readonly number[]) => values.map((v, i) => [x(at(i)), y(v)] as const);
	const demand = $derived(linePath(pointsOf(day.demand)));
	const capacity = $derived(stepPath(pointsOf(day.capacity)));
	const coming = $derived(stepPath(pointsOf(day.starting.map((v, i) => v + day.capacity[i]!))));
	const future = $derived(linePath(ahead.map((a) => [x(a.at), y(a.middle)] as const)));
	const band = $derived(
		bandPath(ahead.map((a) => [x(a.at), y(Math.max(0, a.middle - a.spread)), y(a.middle + a.spread)] as const))
	);
	const last = $derived(day.demand.length ? x(at(day.demand.length - 1)) : LEFT);
	const levelAt = (t: number) =>
		day.demand[Math.min(day.demand.length - 1, Math.max(0, Math.floor((t - day.from) / day.step)))] ?? 0;
	// Waits of the same time stand on one another, as far as there is room: how many there were is in their words.
	const marks = $derived(
		waits.marks.flatMap((w) => {
			const foot = y(levelAt(w.at)) - 8;
			const words = w.name
				? `${w.name} waited ${w.times > 1 ? `${countWords(w.times, 'time')}, the longest ` : ''}${durationWords(w.longest)}`
				: `${countWords(w.people, 'person', 'people')} waited ${countWords(w.times, 'time')}, the longest ${durationWords(w.longest)}`;
			return Array.from({ length: Math.min(w.times, Math.max(1, Math.floor((foot - 8) / 8))) }, (_v, level) => ({
				key: `${w.at} ${level}`,
				words,
				x: x(w.at),
				y: Math.max(8, foot - level * 8)
			}));
		})
	);
	const words = $derived(
		`Demand peaks at ${Math.max(0, ...day.demand)} sessions, capacity at ${Math.max(0, ...day.capacity)}; ${countWords(waits.people, 'person', 'people')} waited${waits.times > waits.people ? `, ${countWords(waits.times, 'time')}` : ''}.`
	);
</script>

<div bind:clientWidth={width} class="mt-1">
	<svg width="100%" height={H} class="block text-[11px]" role="img" aria-label={words}>
		{#each Array.from({ length: Math.floor(peak / scale) + 1 }, (_, i) => i * scale) as v (v)}
			<line x1={LEFT} x2={width - 8} y1={y(v)} y2={y(v)} stroke="var(--hair2)" /><text
				x={LEFT - 7}
				y={y(v) + 4}
				text-anchor="end"
				fill="var(--ink3)">{v}</text
			>
		{/each}
		{#each Array.from({ length: 9 }, (_, i) => day.from + (i * (day.to - day.from)) / 8) as t, i (t)}<text
				x={x(t)}
				y="230"
				text-anchor={i === 8 ? 'end' : 'middle'}
				fill="var(--ink3)">{clockWords(zone, t)}</text
			>{/each}
		{#if day.capacity.length}<path d="{capacity}V{BASE}H{LEFT}Z" fill="var(--seawash)" />{/if}
		{#if day.demand.length}<path d="{demand}L{last} {BASE}L{LEFT} {BASE}Z" fill="var(--sea2)" opacity=".4" />{/if}
		<path d={band} fill="var(--sea2)" opacity=".15" />
		<path d={coming} fill="none" stroke="var(--sand)" stroke-width="1" stroke-dasharray="2 3" />
		<path d={capacity} fill="none" stroke="var(--sand)" stroke-width="1.2" />
		<path d={demand} fill="none" stroke="var(--sea)" stroke-width="1.6" />
		<path d={future} fill="none" stroke="var(--sea2)" stroke-width="1.4" stroke-dasharray="4 3" />
		{#if now > day.from && now < day.to}<line x1={x(now)} x2={x(now)} y1="8" y2={BASE} stroke="var(--ink)" /><text
				x={x(now) + 4}
				y="14"
				fill="var(--ink2)">now</text
			>{/if}
		{#each marks as m (m.key)}<path d="M{m.x} {m.y - 4}l4 4-4 4-4-4z" fill="var(--buoy)"><title>{m.words}</title></path
			>{/each}
	</svg>
	<p class="text-ink2 flex flex-wrap gap-4 pl-9 text-[12px]" aria-hidden="true">
		<span><span class="bg-sea2/50 inline-block h-2 w-3"></span> in use</span><span
			><span class="border-sand inline-block w-4 border-t align-middle"></span> seats on machines that are up</span
		><span
			><span class="border-sand inline-block w-4 border-t border-dashed align-middle"></span> with those starting</span
		><span
			><span class="border-sea2 inline-block w-4 border-t border-dashed align-middle"></span> forecast, nine in ten</span
		><span><span class="text-buoy">◆</span> somebody kept waiting</span>
	</p>
</div>
