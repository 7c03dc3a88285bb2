<script lang="ts">
	import { goto } from '$app/navigation';
	import { clockWords, momentWords } from '$lib/core/time/zone';
	import type { FlagGroup } from '$lib/core/watch/flags';
	import { bandPath, linePath, stepPath } from '$lib/ui/charts/paths';
	import { arrive } from './arrive';

	interface Props {
		ribbon: {
			from: number;
			to: number;
			now: number;
			step: number;
			zone: string;
			tide: number[];
			capacity: number[];
			ahead: { at: number; middle: number; spread: number }[];
			flags: FlagGroup[];
			incidents: { from: number; to: number; words: string; finding: number }[];
		};
		at: number;
		live: boolean;
	}
	let { ribbon, at, live }: Props = $props();

	const H = 96;
	const TOP = 22;
	const BASE = 74;
	let width = $state(1280);
	let dragging: number | null = $state(null);
	/** Where keys have moved to while its page is still on its way: the next press goes on from there. */
	let aimed: number | null = $state(null);
	let svg: SVGSVGElement | undefined = $state();

	const x = (t: number) => ((t - ribbon.from) / (ribbon.to - ribbon.from)) * width;
	const peak = $derived(
		Math.max(4, ...ribbon.tide, ...ribbon.capacity, ...ribbon.ahead.map((a) => a.middle + a.spread))
	);
	const y = (v: number) => BASE - (v / peak) * (BASE - TOP);
	const pointsOf = (values: readonly number[]) =>
		values.map((v, i) => [x(ribbon.from + i * ribbon.step), y(v)] as const);
	const tide = $derived(linePath(pointsOf(ribbon.tide)));
	const last = $derived(x(ribbon.from + (ribbon.tide.length - 1) * ribbon.step));
	const steps = $derived(stepPath(pointsOf(ribbon.capacity)));
	const ahead = $derived(linePath(ribbon.ahead.map((a) => [x(a.at), y(a.middle)] as const)));
	const band = $derived(
		bandPath(ribbon.ahead.map((a) => [x(a.at), y(Math.max(0, a.middle - a.spread)), y(a.middle + a.spread)] as const))
	);
	const HOUR = 3_600_000;
	const hours = $derived.by(() => {
		const out: number[] = [];
		for (let t = Math.ceil(ribbon.from / HOUR) * HOUR; t < ribbon.to; t += HOUR)
			if (Number(clockWords(ribbon.zone, t).slice(0, 2)) % 3 === 0 && x(t) > 18 && x(t) < width - 18) out.push(t);
		return out;
	});
	const shown = $derived(dragging ?? aimed ?? at);
	const cursor = $derived(x(shown));
	/** The moment's own words stand in a box at the top, which no flag covers. */
	const BOX = { width: 72, height: 18 };
	const boxed = $derived(Math.min(width - BOX.width, Math.max(0, cursor - BOX.width / 2)));
	// Words take the room up to the next flag, and none that is under the moment's box. A flag that would lie on the box hangs below it.
	const flags = $derived(
		ribbon.flags.map((f, i, all) => {
			const at = x(f.at);
			const next = Math.min(width - 60, ...all.slice(i + 1).map((n) => x(n.at)));
			const below = at + 12 > boxed && at < boxed + BOX.width;
			const crossed = at < cursor && at + 15 > cursor;
			const begin = below && crossed ? Math.max(cursor + 4, at + 13) : at + 13;
			const end = !below && at < boxed ? Math.min(next, boxed) : next;
			const room = end - begin - 4;
			return { ...f, x: at, below, indent: begin - at - 13, room: room < 46 ? 0 : Math.min(170, room) };
		})
	);
	/** The group of flags that is open, by its first moment. */
	let opened: number | null = $state(null);
	const group = $derived(ribbon.flags.find((f) => f.at === opened && f.count > 1) ?? null);
	function openFlag(f: FlagGroup) {
		if (f.count > 1) opened = opened === f.at ? null : f.at;
		else if (f.job !== null) void goto(`/jobs/${f.job}`);
		else move(f.at);
	}
	const isLive = $derived(live && dragging === null && aimed === null);
	const label = $derived(isLive ? `now ${clockWords(ribbon.zone, ribbon.now)}` : clockWords(ribbon.zone, shown));

	const momentAt = (clientX: number) => {
		const box = svg!.getBoundingClientRect();
		return Math.round((ribbon.from + ((clientX - box.left) / box.width) * (ribbon.to - ribbon.from)) / 60_000) * 60_000;
	};
	function move(to: number | null) {
		dragging = null;
		aimed = to;
		void arrive({ at: to }, { keepFocus: true, noScroll: true }).finally(() => {
			if (aimed === to) aimed = null;
		});
	}
	const clamp = (t: number) => Math.min(ribbon.to, Math.max(ribbon.from, t));
	/** Moves by a quarter of an hour; the keys `[` and `]`. */
	export function nudge(by: number) {
		move(clamp((aimed ?? at) + by * 15 * 60_000));
	}
	function onKey(e: KeyboardEvent) {
		const by = { ArrowLeft: -1, ArrowRight: 1, PageDown: -4, PageUp: 4 }[e.key];
		if (by) {
			e.preventDefault();
			nudge(by);
		} else if (e.key === 'Home') move(null);
	}
</script>

<section aria-label="Time" class="border-hair bg-shade relative border-t" bind:clientWidth={width}>
	<svg
		bind:this={svg}
		width="100%"
		height={H}
		class="block cursor-pointer touch-none font-sans text-[11px] select-none"
		role="slider"
		tabindex="0"
		aria-label="Moment"
		aria-valuemin={ribbon.from}
		aria-valuemax={ribbon.to}
		aria-valuenow={shown}
		aria-valuetext={isLive ? `live, ${momentWords(ribbon.zone, ribbon.now)}` : momentWords(ribbon.zone, shown)}
		onkeydown={onKey}
		onpointerdown={(e) => {
			svg!.setPointerCapture(e.pointerId);
			dragging = momentAt(e.clientX);
		}}
		onpointermove={(e) => {
			if (dragging !== null) dragging = clamp(momentAt(e.clientX));
		}}
		onpointerup={(e) => {
			if (dragging !== null)
				move(Math.abs(x(momentAt(e.clientX)) - x(ribbon.now)) < 8 ? null : clamp(momentAt(e.clientX)));
		}}
	>
		<path d="{tide}L{last} {BASE}L{x(ribbon.from)} {BASE}Z" fill="var(--sea2)" opacity=".35" />
		<path d={band} fill="var(--sea2)" opacity=".15" />
		<path d={tide} fill="none" stroke="var(--sea)" stroke-width="1.6" />
		<path d={ahead} fill="none" stroke="var(--sea2)" stroke-width="1.4" stroke-dasharray="4 3" />
		<path d={steps} fill="none" stroke="var(--sand)" stroke-width="1" opacity=".8" />
		{#each ribbon.incidents as bar (bar.finding)}
			<rect
				x={x(bar.from)}
				y={BASE + 1}
				width={Math.max(3, x(bar.to) - x(bar.from))}
				height="5"
				rx="2"
				fill="var(--buoy)"><title>{bar.words}</title></rect
			>
		{/each}
		<line x1="0" x2={width} y1={BASE} y2={BASE} stroke="var(--hair)" />
		{#each hours as t (t)}
			<line x1={x(t)} x2={x(t)} y1={BASE} y2={BASE + 4} stroke="var(--ink3)" />
			<text x={x(t)} y="91" text-anchor="middle" fill="var(--ink3)">{clockWords(ribbon.zone, t)}</text>
		{/each}
		{#each flags as f, i (i)}
			<line
				x1={f.x}
				x2={f.x}
				y1={f.below ? BOX.height + 14 : 16}
				y2={BASE}
				stroke={f.failed ? 'var(--buoy)' : 'var(--plum)'}
				stroke-dasharray={f.ahead ? '3 3' : undefined}
			/>
			{#if f.count > 1}<rect
					x={f.x}
					y={f.below ? BOX.height + 12 : 14}
					width={Math.max(2, x(f.until) - f.x)}
					height="2"
					fill={f.failed ? 'var(--buoy)' : 'var(--plum)'}
				/>{/if}
		{/each}
		<line
			x1={x(ribbon.now)}
			x2={x(ribbon.now)}
			y1={isLive ? 0 : 18}
			y2={BASE}
			stroke="var(--ink)"
			stroke-width={isLive ? 1.5 : 1}
			stroke-dasharray={isLive ? undefined : '2 3'}
		/>
		<line x1={cursor} x2={cursor} y1="0" y2={BASE} stroke={isLive ? 'var(--ink)' : 'var(--buoy)'} stroke-width="1.5" />
		<rect x={boxed} y="0" width={BOX.width} height={BOX.height} rx="4" fill={isLive ? 'var(--deck)' : 'var(--buoy)'} />
		<text
			x={boxed + BOX.width / 2}
			y="13"
			text-anchor="middle"
			fill={isLive ? '#fff' : 'var(--paper)'}
			font-weight="600">{label}</text
		>
	</svg>
	{#each flags as f (`${f.at} ${f.failed} ${f.ahead}`)}
		<button
			class={[
				'absolute flex h-[14px] items-center text-[11px] leading-none',
				f.below ? 'top-[20px]' : 'top-[4px]',
				f.failed ? 'text-buoy' : 'text-plum'
			]}
			style="left:{f.x}px"
			title="{f.words}, {momentWords(ribbon.zone, f.at)}"
			aria-label="{f.words}, {momentWords(ribbon.zone, f.at)}"
			aria-expanded={f.count > 1 ? opened === f.at : undefined}
			onclick={() => openFlag(f)}
			><svg width="12" height="10" viewBox="0 0 12 10" aria-hidden="true"
				><path d="M0 1h11l-3 4 3 4h-11z" fill="currentColor" /></svg
			>{#if f.room}<span
					class={['truncate pl-[2px]', f.below && 'bg-shade']}
					style="max-width:{f.room}px;margin-left:{f.indent}px">{f.words}</span
				>{/if}</button
		>
	{/each}
	{#if group}
		<div
			class="border-hair bg-sheet absolute bottom-full z-20 mb-1 max-h-[300px] w-[360px] overflow-auto rounded-md border p-2 text-[13px] shadow-lg"
			style="left:{Math.max(8, Math.min(width - 370, x(group.at) - 20))}px"
			role="dialog"
			aria-label="{group.count} changes"
		>
			<ul>
				{#each group.of as one, i (i)}
					<li class="flex gap-2 py-0.5">
						<span class="text-ink3 w-[42px] shrink-0">{clockWords(ribbon.zone, one.at)}</span>
						{#if one.job !== null}<a class="link" href="/jobs/{one.job}" onclick={() => (opened = null)}>{one.words}</a
							>{:else}<span>{one.words}</span>{/if}
					</li>
				{/each}
			</ul>
			{#if group.count > group.of.length}<p class="text-ink3">
					and {group.count - group.of.length} more, in the <a class="link" href="/changes">change log</a>
				</p>{/if}
			<button class="btn btn-plain mt-1" onclick={() => (opened = null)}>Close</button>
		</div>
	{/if}
</section>
