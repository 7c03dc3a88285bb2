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
		const sorted = runs.length ? [...runs].sort((a, b) => a - b) : [0.6, 0.8, 1, 1.2, 1.4].map((f) => f * fallback);
		for (let i = 0; i < DRAWS; i++) sums[i]! += quantile(sorted, (((i + 0.5) * g) % DRAWS) / DRAWS);
		g = (g * MULTIPLIER) % DRAWS;
	}
	return sums.sort((a, b) => a - b);
}

/**
 * Quantile of sorted values, linear between order statistics (Hyndman and Fan's type 7, the usual default).
 * NaN of nothing.
 */
export function quantile(sorted: number[], q: number): number {
	if (sorted.length === 0) return Number.NaN;
	const at = Math.min(1, Math.max(0, q)) * (sorted.length - 1);
	const low = Math.floor(at);
	const high = Math.ceil(at);
	return sorted[low]! + (sorted[high]! - sorted[low]!) * (at - low);
}
