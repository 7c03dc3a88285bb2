import { DAY } from '../time/units';

/** Middle value and half the width of the range that holds nine of ten outcomes, as far as the past tells. */
export interface Forecast {
	middle: number;
	spread: number;
	/** Past days it rests on. */
	days: number;
}

/**
 * Forecast of a level at `at` from the same minute of past days: days of the same kind (weekday or weekend) count,
 * the same weekday twice. `past(t)` gives the level at a past moment, or null where nothing is known.
 *
 * The spread is 1.645 standard deviations of those days (nine in ten under a normal law), widened by
 * √(1 + 1/n) for the few days it rests on, and never less than the square root of the middle, the scatter that
 * independent arrivals have of themselves (Poisson).
 */
export function forecast(
	at: number,
	now: number,
	past: (t: number) => number | null,
	weekdayOf: (t: number) => number,
	lookBackDays = 14
): Forecast | null {
	const weekend = weekdayOf(at) > 5;
	const seen: { value: number; weight: number }[] = [];
	for (let d = 1; now - (at - d * DAY) <= lookBackDays * DAY; d++) {
		const t = at - d * DAY;
		if (t > now) continue;
		const weekday = weekdayOf(t);
		if (weekday > 5 !== weekend) continue;
		const value = past(t);
		if (value !== null) seen.push({ value, weight: weekday === weekdayOf(at) ? 2 : 1 });
	}
	if (seen.length === 0) return null;
	const weight = seen.reduce((n, s) => n + s.weight, 0);
	const middle = seen.reduce((n, s) => n + s.value * s.weight, 0) / weight;
	const variance = seen.reduce((n, s) => n + s.weight * (s.value - middle) ** 2, 0) / weight;
	const scatter = Math.max(Math.sqrt(variance) * Math.sqrt(1 + 1 / seen.length), Math.sqrt(Math.max(middle, 0)));
	return {
		middle,
		spread: seen.length === 1 ? Math.max(1.645 * scatter, middle * 0.3) : 1.645 * scatter,
		days: seen.length
	};
}
