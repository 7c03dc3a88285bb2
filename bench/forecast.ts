import { forecast, judge, together, type Backtest } from '$lib/core/capacity/forecast';
import { DAY, HOUR } from '$lib/core/time/units';
import { wallTime } from '$lib/core/time/zone';
import { normal } from '$lib/server/simulator/random';

type Report = (name: string, value: number, unit: string, aim: string, met: boolean) => void;

/** How many sit where: the clocks of all but one were changed within the weeks that are judged. */
const SITTING: [zone: string, people: number][] = [
	['Europe/Oslo', 600],
	['America/Halifax', 200],
	['Australia/Hobart', 120],
	['Asia/Kathmandu', 80]
];
const FROM = Date.UTC(2026, 9, 16);
const UNTIL = Date.UTC(2026, 10, 8);
const MADE_BEFORE = 6 * HOUR;

/**
 * Forecasts of people at work over three weeks of changed clocks, made six hours ahead: whether the band holds the nine in ten that it
 * promises, and what it loses against the same forecast by one clock for all.
 */
export function forecastBench(report: Report): void {
	const local = judged((t, asOf) =>
		together(
			SITTING.map(([zone, people], i) =>
				forecast(
					t,
					asOf,
					known(asOf, (x) => level(zone, people, i, x)),
					zone
				)
			)
		)
	);
	const oneClock = judged((t, asOf) => forecast(t, asOf, known(asOf, total), 'UTC'));
	report(
		'forecast, share within the nine-in-ten band, clocks changed',
		local.coverage,
		'of 1',
		'0.85 to 0.98',
		local.coverage >= 0.85 && local.coverage <= 0.98
	);
	report(
		'forecast, pinball loss by local clocks / by one clock',
		local.pinball / oneClock.pinball,
		'×',
		'under 1',
		local.pinball < oneClock.pinball
	);
}

/** People of a zone at work: a weekday's rise and fall on their wall clock, a better or worse day, and the scatter of single arrivals. */
function level(zone: string, people: number, index: number, at: number): number {
	const wall = wallTime(zone, at);
	const hour = wall.minute / 60;
	const share = wall.weekday > 5 ? 0.04 : 0.03 + 0.8 * rise(hour - 7.5) * rise(16.5 - hour);
	const middle = people * share * (1 + 0.06 * normal(index, wall.day, 1));
	return Math.max(0, Math.round(middle + Math.sqrt(Math.max(0, middle)) * normal(index, Math.floor(at / HOUR), 2)));
}

const rise = (hours: number): number => 1 / (1 + Math.exp(-3 * hours));
const total = (at: number): number => SITTING.reduce((n, [zone, people], i) => n + level(zone, people, i, at), 0);
const known = (asOf: number, of: (t: number) => number) => (t: number) =>
	t > asOf || t < FROM - 15 * DAY ? null : of(t);

function judged(make: (t: number, asOf: number) => ReturnType<typeof forecast>): Backtest {
	const made: Parameters<typeof judge>[0][number][] = [];
	for (let t = FROM; t < UNTIL; t += HOUR) made.push({ forecast: make(t, t - MADE_BEFORE), was: total(t) });
	return judge(made)!;
}
