/**
 * Quantile of sorted values, linear between order statistics (Hyndman and Fan's type 7, the usual default).
 * NaN of nothing.
 */
export function quantile(sorted: readonly number[], q: number): number {
	if (sorted.length === 0) return Number.NaN;
	const at = Math.min(1, Math.max(0, q)) * (sorted.length - 1);
	const low = Math.floor(at);
	const high = Math.ceil(at);
	return sorted[low]! + (sorted[high]! - sorted[low]!) * (at - low);
}

/** The middle of values in any order; of an even number the mean of the two in the middle. NaN of nothing. */
export const median = (values: readonly number[]): number =>
	quantile(
		[...values].sort((a, b) => a - b),
		0.5
	);
