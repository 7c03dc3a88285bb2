import type { Explained, Fact } from '../why/explained';

/** One minute of one machine. Shares are 0–1, latencies milliseconds. `gpu` is null where there is none. */
export interface Load {
	cores: number;
	memory: number;
	diskMs: number;
	gpu: number | null;
	inputMs: number;
	rttMs: number;
}

/**
 * A cause of strain: below `calm` it adds nothing, at `hard` it alone makes 100.
 * Input delay: people notice from about 100 ms on and cannot work past 300 ms (the limits of Card, Moran and
 * Newell's perceptual cycle, and of Nielsen's response-time bounds). Disk: 20 ms is the usual alarm for
 * virtual desktops. Cores and memory: queues grow without bound as use nears one (M/M/1).
 */
const CAUSES = [
	{ key: 'cores', name: 'cores', calm: 0.6, hard: 1, words: (v: number) => `cores ${percent(v)} used` },
	{ key: 'memory', name: 'memory', calm: 0.75, hard: 1, words: (v: number) => `memory ${percent(v)} used` },
	{ key: 'diskMs', name: 'disk', calm: 5, hard: 30, words: (v: number) => `disk answers in ${v.toFixed(1)} ms` },
	{ key: 'gpu', name: 'GPU', calm: 0.75, hard: 1.02, words: (v: number) => `GPU ${percent(v)} used` },
	{
		key: 'inputMs',
		name: 'input delay',
		calm: 60,
		hard: 300,
		words: (v: number) => `input takes ${Math.round(v)} ms to show`
	},
	{
		key: 'rttMs',
		name: 'network',
		calm: 120,
		hard: 900,
		words: (v: number) => `network round trip ${Math.round(v)} ms`
	}
] as const;

/**
 * Strain, 0–100: the worst cause, and a tenth of what the others add. Facts name the causes, worst first.
 * A base of the cores in use shows below the calm limit, so that a level cell of a working machine is never empty.
 */
export function strainOf(load: Load): Explained<number> {
	const parts: { points: number; fact: Fact }[] = [];
	for (const cause of CAUSES) {
		const value = load[cause.key];
		if (value === null) continue;
		const points = 100 * Math.min(1, Math.max(0, (value - cause.calm) / (cause.hard - cause.calm)));
		parts.push({
			points,
			fact: { words: cause.words(value), side: points > 0 ? 'against' : undefined, source: 'measured' }
		});
	}
	parts.sort((a, b) => b.points - a.points);
	const base = 30 * load.cores;
	const rest = parts.slice(1).reduce((n, p) => n + p.points, 0);
	const value = Math.round(Math.min(100, Math.max(base, parts[0]!.points) + rest / 10));
	return {
		value,
		facts: parts.map((p) => ({
			...p.fact,
			words: p.points >= 1 ? `${p.fact.words}: ${Math.round(p.points)} points` : p.fact.words
		}))
	};
}

/** Strain alone, for the sampler: no facts, no allocation. Same law as `strainOf`. */
export function strainValue(
	cores: number,
	memory: number,
	diskMs: number,
	gpu: number | null,
	inputMs: number,
	rttMs: number
): number {
	const ofCores = pointsOf(0, cores);
	const ofMemory = pointsOf(1, memory);
	const ofDisk = pointsOf(2, diskMs);
	const ofGpu = gpu === null ? 0 : pointsOf(3, gpu);
	const ofInput = pointsOf(4, inputMs);
	const ofTrip = pointsOf(5, rttMs);
	const worst = Math.max(ofCores, ofMemory, ofDisk, ofGpu, ofInput, ofTrip);
	const others = ofCores + ofMemory + ofDisk + ofGpu + ofInput + ofTrip - worst;
	return Math.round(Math.min(100, Math.max(30 * cores, worst) + others / 10));
}

/** What a cause gives by itself, 0–100. */
function pointsOf(cause: number, value: number): number {
	const { calm, hard } = CAUSES[cause]!;
	return value <= calm ? 0 : value >= hard ? 100 : (100 * (value - calm)) / (hard - calm);
}

/** Strain from which something is hard pressed: shown in sand, and counted as such. */
export const HARD_PRESSED = 70;

const percent = (share: number) => `${Math.round(share * 100)} %`;
