import { FOREVER } from './units';

/** Half-open: `since` counts in, `until` does not. An interval that goes on ends at FOREVER. */
export interface Interval {
	since: number;
	until: number;
}

/**
 * How many intervals cover each of `bins` moments `from + i × step`, in one sweep.
 * Weights let one interval count for more than one (a machine that holds several sessions).
 */
export function countOver(
	intervals: Iterable<Interval & { weight?: number }>,
	from: number,
	step: number,
	bins: number
): number[] {
	const edges = new Array<number>(bins + 1).fill(0);
	for (const { since, until, weight = 1 } of intervals) {
		const first = Math.max(0, Math.ceil((since - from) / step));
		const end = until === FOREVER ? bins : Math.min(bins, Math.ceil((until - from) / step));
		if (first >= end) continue;
		edges[first]! += weight;
		edges[end]! -= weight;
	}
	const counts = new Array<number>(bins);
	let level = 0;
	for (let i = 0; i < bins; i++) counts[i] = level += edges[i]!;
	return counts;
}

/** The first pair that overlaps, or null: intervals of one thing must never overlap. */
export function firstOverlap<T extends Interval>(intervals: T[]): [T, T] | null {
	const sorted = [...intervals].sort((a, b) => a.since - b.since || a.until - b.until);
	for (let i = 1; i < sorted.length; i++)
		if (sorted[i]!.since < sorted[i - 1]!.until) return [sorted[i - 1]!, sorted[i]!];
	return null;
}
