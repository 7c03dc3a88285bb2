import { gather } from '../measures/gather';
import type { Hours } from '../time/hours';

/** Minutes of a week. */
export const WEEK = 7 * 1440;

/** A stretch in which a rule holds; its end does not belong to it. */
export interface Span<N> {
	rule: number;
	from: N;
	until: N;
}

/** Cuts a line wherever a rule begins or ends to hold: says of each piece where it begins, and which rules hold in it. */
export function sweep<N extends number | bigint>(
	spans: readonly Span<N>[],
	first: N,
	end: N,
	piece: (begin: N, holding: Iterable<number>) => void
): void {
	const events = new Map<N, { rule: number; by: 1 | -1 }[]>([[first, []]]);
	for (const { rule, from, until } of spans) {
		gather(events, from, { rule, by: 1 as const });
		if (until < end) gather(events, until, { rule, by: -1 as const });
	}
	/** How many stretches of each rule a piece lies in. */
	const open = new Map<number, number>();
	for (const at of [...events.keys()].sort((a, b) => (a < b ? -1 : a > b ? 1 : 0))) {
		for (const { rule, by } of events.get(at)!) {
			const n = (open.get(rule) ?? 0) + by;
			if (n === 0) open.delete(rule);
			else open.set(rule, n);
		}
		piece(at, open.keys());
	}
}

/** The stretches of a week that hours take in, in minutes since Monday 00:00. */
export function hoursInWeek({ days, from, until }: Hours): [number, number][] {
	return [...new Set(days)].flatMap((day): [number, number][] => {
		const begin = (day - 1) * 1440 + from;
		// Hours that end as they begin are the whole day.
		if (from === until) return [[(day - 1) * 1440, day * 1440]];
		const length = (until - from + 1440) % 1440;
		return begin + length <= WEEK
			? [[begin, begin + length]]
			: [
					[begin, WEEK],
					[0, begin + length - WEEK]
				];
	});
}
