import { quantile } from '../measures/quantile';
import { GB } from '../time/units';

/** Cores and disk (bytes) of the builder with which usual times are meant. */
const USUAL_BUILDER = { cores: 4, disk: 96 * GB };

/**
 * How long a step takes on a builder, as a share of its time on the usual one. Half of a step's work spreads over the
 * cores (Amdahl 1967), a fifth waits for the disk, whose throughput rented volumes let grow with the root of their size up
 * to four times the usual one; the rest does not change.
 */
export function builderPace({ cores, disk }: { cores: number; disk: number }): number {
	const ratio = Math.min(4, Math.max(0.5, disk / USUAL_BUILDER.disk));
	return 0.3 + (0.5 * USUAL_BUILDER.cores) / Math.max(1, cores) + 0.2 / Math.sqrt(ratio);
}

/** Past runs of one step, ms each, and what to assume where there are none. */
export interface StepHistory {
	runs: number[];
	fallback: number;
}

/** What to expect: the middle, the time nine in ten stay under, and the mean. Ms. */
export interface Expectation {
	middle: number;
	ninety: number;
	mean: number;
	/** Past runs of the step with the fewest: how sure this is. */
	runs: number;
}

/**
 * Expected duration of steps that run one after the other. The sum is taken over distributions, not means:
 * every step draws from its own past runs, independently, on a fixed low-discrepancy set of draws (so that the
 * same runs always give the same answer), and quantiles are read off the sums. Steps without past runs take
 * `fallback`, spread ±40 %.
 *
 * A few past runs scatter less than the runs to come will. Each step's draws are therefore widened about its mean to
 * the variance of a run to come, s²·(1 + 1/n), s² being the unbiased variance of its n runs: what a prediction from n
 * observations has to allow for (Hahn and Meeker, Statistical Intervals, 1991, §4).
 *
 * The draws are a Korobov lattice: point i, step j ↦ frac(i · gʲ / n), with n = 1021 and g = 76: a rank-1
 * lattice after N. M. Korobov (1959).
 */
export function expectDuration(steps: StepHistory[]): Expectation {
	const sums = drawSums(steps);
	return {
		middle: quantile(sums, 0.5),
		ninety: quantile(sums, 0.9),
		mean: sums.reduce((a, b) => a + b, 0) / sums.length,
		runs: steps.length ? Math.min(...steps.map((s) => s.runs.length)) : 0
	};
}

/** Chance that the steps together run past `limit` (ms), 0–1, on the same draws as `expectDuration`. */
export function chanceOver(steps: StepHistory[], limit: number): number {
	const sums = drawSums(steps);
	return sums.filter((sum) => sum > limit).length / sums.length;
}

const DRAWS = 1021;
const MULTIPLIER = 76;

/** Sums over the lattice of draws, sorted. */
function drawSums(steps: StepHistory[]): number[] {
	const sums = new Array<number>(DRAWS).fill(0);
	let g = 1;
	for (const { runs, fallback } of steps) {
		const known = runs.length > 0;
		const sorted = known
			? runs.length === 1
				? [1 - LONE_SCATTER, 1, 1 + LONE_SCATTER].map((f) => f * runs[0]!)
				: [...runs].sort((a, b) => a - b)
			: [0.6, 0.8, 1, 1.2, 1.4].map((f) => f * fallback);
		const { centre, mean, factor } = known ? widening(sorted) : { centre: 0, mean: 0, factor: 1 };
		// However wide, no run takes less than a quarter of the fastest there was.
		const least = (known ? Math.min(...runs) : sorted[0]!) / 4;
		for (let i = 0; i < DRAWS; i++) {
			const drawn = quantile(sorted, (((i + 0.5) * g) % DRAWS) / DRAWS);
			sums[i]! += Math.max(least, mean + (drawn - centre) * factor);
		}
		g = (g * MULTIPLIER) % DRAWS;
	}
	return sums.sort((a, b) => a - b);
}

/** A single run says nothing of its scatter: it stands in the middle of three, this share of it apart. */
const LONE_SCATTER = 0.4;

/**
 * How draws between order statistics are to be moved and widened to have the mean of the runs and the variance of a
 * run to come.
 */
function widening(sorted: number[]): { centre: number; mean: number; factor: number } {
	const n = sorted.length;
	const mean = sorted.reduce((a, b) => a + b, 0) / n;
	if (n === 1) return { centre: mean, mean, factor: 1 };
	// Between neighbours a and b the draws are even: mean (a + b) / 2, mean square (a² + ab + b²) / 3.
	let centre = 0;
	let square = 0;
	for (let i = 1; i < n; i++) {
		const [a, b] = [sorted[i - 1]!, sorted[i]!];
		centre += (a + b) / 2 / (n - 1);
		square += (a * a + a * b + b * b) / 3 / (n - 1);
	}
	const drawn = square - centre * centre;
	const toCome = (sorted.reduce((sum, x) => sum + (x - mean) ** 2, 0) / (n - 1)) * (1 + 1 / n);
	return { centre, mean, factor: drawn > 0 ? Math.sqrt(toCome / drawn) : 1 };
}
