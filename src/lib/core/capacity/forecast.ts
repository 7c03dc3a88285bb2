import { DAY } from '../time/units';
import { momentOf, wallTime } from '../time/zone';

/** Middle value and half the width of the range that holds nine of ten outcomes, as far as the past tells. */
export interface Forecast {
	middle: number;
	spread: number;
	/** Past days it rests on. */
	days: number;
}

/**
 * Forecast of a level at `at` from the same wall time of past days, on the clock and calendar of `zone`, where those sit who make the level:
 * days of the same kind (weekday or weekend) count, the same weekday twice. `past(t)` gives the level at a past moment, or null where
 * nothing is known.
 *
 * The spread is 1.645 standard deviations of those days (nine in ten under a normal law), widened by
 * √(1 + 1/n) for the few days it rests on, and never less than the square root of the middle, the scatter that
 * independent arrivals have of themselves (Poisson).
 */
export function forecast(
	at: number,
	now: number,
	past: (t: number) => number | null,
	zone: string,
	lookBackDays = 14
): Forecast | null {
	const wall = wallTime(zone, at);
	const weekend = wall.weekday > 5;
	const seen: { value: number; weight: number }[] = [];
	for (let d = 1; ; d++) {
		// As many local days ago, at the same time on the wall: a clock that was changed in between has moved it.
		const t = momentOf(zone, wall.day - d, wall.minute);
		if (now - t > lookBackDays * DAY) break;
		if (t > now) continue;
		const weekday = ((((wall.weekday - 1 - d) % 7) + 7) % 7) + 1;
		if (weekday > 5 !== weekend) continue;
		const value = past(t);
		if (value !== null) seen.push({ value, weight: weekday === wall.weekday ? 2 : 1 });
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

/** The forecast of several levels together, which come about independently of each other: their variances add up. Null without any. */
export function together(parts: readonly (Forecast | null)[]): Forecast | null {
	const known = parts.filter((p) => p !== null);
	if (known.length === 0) return null;
	return {
		middle: known.reduce((n, f) => n + f.middle, 0),
		spread: Math.sqrt(known.reduce((n, f) => n + f.spread ** 2, 0)),
		days: Math.max(...known.map((f) => f.days))
	};
}

/** How well forecasts did that were made so long before. */
export interface Backtest {
	/** Moments that were forecast and have come about. */
	moments: number;
	/** Share of them within the band that was to hold nine in ten, 0–1. */
	coverage: number;
	/**
	 * Mean pinball loss of the band's two ends (the 5 % and 95 % quantiles; Koenker and Bassett, Regression Quantiles, Econometrica 46,
	 * 1978), in units of the level: the less the better.
	 */
	pinball: number;
}

/** Judges forecasts by what came about. Null when none has. */
export function judge(made: readonly { forecast: Forecast | null; was: number | null }[]): Backtest | null {
	let [moments, within, loss] = [0, 0, 0];
	for (const { forecast: f, was } of made) {
		if (!f || was === null) continue;
		const [low, high] = [Math.max(0, f.middle - f.spread), f.middle + f.spread];
		moments++;
		if (was >= low && was <= high) within++;
		loss += (pinball(was, low, 0.05) + pinball(was, high, 0.95)) / 2;
	}
	return moments ? { moments, coverage: within / moments, pinball: loss / moments } : null;
}

const pinball = (was: number, quantile: number, share: number): number =>
	was >= quantile ? share * (was - quantile) : (1 - share) * (quantile - was);
