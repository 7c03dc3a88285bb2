import { HOUR, MINUTE } from '$lib/core/time/units';
import type { Db } from '../db';

/** Step of demand curves, forecasts and the ribbon. */
export const STEP = 15 * MINUTE;

/** What has passed does not change: counted once for each question, and kept for the next time it is asked. */
const passed = new WeakMap<Db, Map<string, { from: number; counts: number[] }>>();
const QUESTIONS_KEPT = 400;
/** Observations may still be on their way: at 600 times the pace of the wall, for twelve seconds of it. */
const SETTLES = 2 * HOUR;

/**
 * Counts every `STEP` from `from` on (a multiple of it), as `count` gives them: asked only of the steps that are not
 * kept from before.
 *
 * @param key names the question, whatever the moment it is asked at; null when its past depends on the moment
 * @param now ms UTC: steps that lie well behind it are kept
 */
export function keptCounts(
	db: Db,
	key: string | null,
	from: number,
	bins: number,
	now: number,
	count: (from: number, bins: number) => number[]
): number[] {
	if (key === null) return count(from, bins);
	let questions = passed.get(db);
	if (!questions) passed.set(db, (questions = new Map()));
	const kept = questions.get(key);
	const skip = kept ? (from - kept.from) / STEP : 0;
	const known = kept && skip >= 0 ? kept.counts.slice(skip, skip + bins) : [];
	const rest = bins - known.length;
	const counts = rest > 0 ? [...known, ...count(from + known.length * STEP, rest)] : known;
	const settled = Math.max(0, Math.floor((now - SETTLES - from) / STEP));
	questions.delete(key);
	questions.set(key, { from, counts: counts.slice(0, settled) });
	if (questions.size > QUESTIONS_KEPT) questions.delete(questions.keys().next().value!);
	return counts;
}
