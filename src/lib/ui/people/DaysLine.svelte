<script lang="ts">
	import { page } from '$app/state';
	import { dayWords, momentOf, wallTime } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';

	/** Who begins, moves and ends on a line of days: above it begins, below it ends, on it moves; filled when ready. */
	interface Mark {
		login: string;
		name: string;
		kind: 'begins' | 'moves' | 'ends';
		at: number;
		/** The day in words, on the wall clock of where they are. */
		day: string;
		state: 'ready' | 'soon' | 'missing' | null;
	}
	interface Props {
		marks: Mark[];
		at: number;
		/** Ms shown behind and ahead. */
		around: number;
		zone: string;
	}
	let { marks, at, around, zone }: Props = $props();
	const DAY = 86_400_000;
	let width = $state(800);
	const STEP = 12;
	/** Marks that stand over each other before the rest is a number. */
	const MOST = 5;
	const PAD = 6;

	const today = $derived(wallTime(zone, at).day);
	const days = $derived(Math.round(around / DAY));
	const x = (t: number) => PAD + ((t - (at - around)) / (2 * around)) * (width - 2 * PAD);
	/** Where a day begins, on the wall clock of the zone. */
	const dayX = (day: number) => x(momentOf(zone, day, 0));
	const weekends = $derived(
		Array.from({ length: 2 * days + 1 }, (_v, i) => today - days + i)
			// 1 Jan 1970 was a Thursday: of each week, Saturday.
			.filter((day) => (day + 5) % 7 === 0)
	);
	const labels = $derived.by(() => {
		const mondays = Array.from({ length: 2 * days + 1 }, (_v, i) => today - days + i).filter((d) => (d + 3) % 7 === 0);
		const every = width > 1000 ? 1 : width > 560 ? 2 : 3;
		return mondays.filter((_d, i) => i % every === 0).map((day) => ({ day, at: momentOf(zone, day, 12 * 60) }));
	});
	const columns = $derived.by(() => {
		const by: Record<string, Mark[]> = {};
		for (const m of marks) (by[`${m.kind} ${m.day}`] ??= []).push(m);
		return Object.values(by);
	});
	const highest = $derived(
		Math.max(2, ...columns.filter((c) => c[0]!.kind === 'begins').map((c) => Math.min(c.length, MOST + 1)))
	);
	const lowest = $derived(
		Math.max(1, ...columns.filter((c) => c[0]!.kind === 'ends').map((c) => Math.min(c.length, MOST + 1)))
	);
	const base = $derived(8 + highest * STEP + 8);
	const foot = $derived(base + 10 + lowest * STEP + 4);
	const height = $derived(foot + 18);
	const SHAPES = {
		begins: 'M0,-5 L5.5,4.5 L-5.5,4.5 Z',
		ends: 'M0,5 L5.5,-4.5 L-5.5,-4.5 Z',
		moves: 'M0,-6 L6,0 L0,6 L-6,0 Z'
	};
	const place = (m: Mark, i: number) =>
		m.kind === 'begins' ? base - 12 - i * STEP : m.kind === 'ends' ? base + 12 + i * STEP : base - i * STEP;
	const TONE = { ready: 'var(--kelp)', soon: 'var(--sand)', missing: 'var(--buoy)' };
	const PAST = { begins: 'var(--ink3)', moves: 'var(--ink3)', ends: 'var(--ink3)' };
	const STATE = { ready: 'ready', soon: 'something to look at', missing: 'something is missing' };
	const tone = (m: Mark) => (m.state === null ? PAST[m.kind] : TONE[m.state]);
	const words = (m: Mark) => `${m.name} ${m.kind} ${m.day}${m.state === null ? '' : `: ${STATE[m.state]}`}`;
</script>

<div bind:clientWidth={width} class="w-full">
	<svg {width} {height} role="group" aria-label="Days: who begins, moves and ends" class="block overflow-visible">
		{#each weekends as day (day)}<rect
				x={dayX(day)}
				y="4"
				width={Math.max(0, dayX(day + 2) - dayX(day))}
				height={foot - 4}
				fill="var(--hair2)"
				opacity="0.55"
			/>{/each}
		<line x1="0" x2={width} y1={base} y2={base} stroke="var(--hair)" stroke-width="1.5" />
		{#each labels as l (l.day)}<text x={x(l.at)} y={height - 4} text-anchor="middle" font-size="11" fill="var(--ink3)"
				>{dayWords(zone, l.at).slice(4)}</text
			>{/each}
		<line x1={x(at)} x2={x(at)} y1="2" y2={foot} stroke="var(--ink)" stroke-width="1" />
		{#each columns as column (`${column[0]!.kind} ${column[0]!.at} ${column[0]!.login}`)}
			{#each column.slice(0, MOST) as m, i (m.login)}
				<a href={addressWith(page.url, { card: `person/${m.login}` })} aria-label={words(m)}
					><title>{words(m)}</title><path
						d={SHAPES[m.kind]}
						transform="translate({x(m.at)},{place(m, i)})"
						fill={m.state === 'ready' || m.state === null ? tone(m) : 'var(--sheet)'}
						fill-opacity={m.state === null ? 0.55 : 1}
						stroke={tone(m)}
						stroke-width="1.5"
					/></a
				>
			{/each}
			{#if column.length > MOST}<text
					x={x(column[0]!.at)}
					y={place(column[0]!, MOST) + 4}
					text-anchor="middle"
					font-size="10.5"
					fill="var(--ink2)">+{column.length - MOST}</text
				>{/if}
		{/each}
	</svg>
</div>
