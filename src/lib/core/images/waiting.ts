import { HOUR } from '../time/units';

/** Assumed for the mean of a session where none has ended yet. */
const NO_HISTORY = 4 * HOUR;

/**
 * How long until the last of some sessions has ended: the time that it takes in the middle, and in nine cases of ten. Each
 * session is taken to last as long as the past ones that lasted longer than it has by now, independently of the others; the
 * last one has ended by t when all have, so its distribution is the product of theirs.
 *
 * @param elapsed how long each session has lasted, ms
 * @param lengths how long past sessions lasted, ms, in any order
 */
export function lastSignOut(
	elapsed: readonly number[],
	lengths: readonly number[]
): { middle: number; ninety: number } {
	if (elapsed.length === 0) return { middle: 0, ninety: 0 };
	const sorted = Float64Array.from(lengths).sort();
	const mean = sorted.length ? sorted.reduce((a, b) => a + b, 0) / sorted.length : NO_HISTORY;
	const longest = Math.max(sorted.at(-1) ?? 0, mean);
	const over = (t: number) => sorted.length - upperBound(sorted, t);
	const ended = (t: number): number => {
		let p = 1;
		for (const e of elapsed) {
			const still = over(e);
			// One that has lasted longer than any before it says nothing of when it ends: it is taken to have no memory.
			p *= still > 0 ? 1 - over(e + t) / still : 1 - Math.exp(-t / mean);
		}
		return p;
	};
	const quantile = (q: number): number => {
		let [low, high] = [0, longest];
		while (ended(high) < q) high *= 2;
		for (let i = 0; i < 50 && high - low > 1000; i++) {
			const t = (low + high) / 2;
			if (ended(t) < q) low = t;
			else high = t;
		}
		return Math.round(high);
	};
	return { middle: quantile(0.5), ninety: quantile(0.9) };
}

/** How many values are not over `t`; ascending. */
function upperBound(sorted: Float64Array, t: number): number {
	let [low, high] = [0, sorted.length];
	while (low < high) {
		const mid = (low + high) >> 1;
		if (sorted[mid]! <= t) low = mid + 1;
		else high = mid;
	}
	return low;
}
