import { forecast } from '$lib/core/capacity/forecast';
import { countOver } from '$lib/core/time/intervals';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { wallTime } from '$lib/core/time/zone';
import { all, setting, type Db } from '../db';

/** Step of demand curves and forecasts. */
export const STEP = 15 * MINUTE;
const LOOK_BACK = 15;

export interface DemandForecast {
	now: number;
	ahead: { at: number; middle: number; spread: number }[];
}

/** Whose sessions are counted: of a pool, or those that a list of machine ids holds, or all. */
export type DemandOf = { pool: string } | { sql: string; params: unknown[] } | null;

/** Sessions every quarter hour from `from` on, counted from their intervals. */
export function demandCurve(db: Db, from: number, bins: number, of: DemandOf, step = STEP): number[] {
	const to = from + bins * step;
	const where =
		of === null
			? ''
			: 'pool' in of
				? 'AND s.machine_id IN (SELECT id FROM machines WHERE pool_id = ?)'
				: `AND ${of.sql}`;
	const params = of === null ? [] : 'pool' in of ? [of.pool] : of.params;
	const rows = all<{ since: number; until: number }>(
		db,
		`SELECT s.since, s.until FROM sessions s WHERE s.until > ? AND s.since < ? ${where}`,
		[from, to, ...params]
	);
	return countOver(rows, from, step, bins);
}

/** Sessions now, and the forecast for the hours ahead, from the same minutes of past days. */
export function demandForecast(db: Db, now: number, hours: number, of: DemandOf): DemandForecast {
	const zone = homeZone(db);
	const start = Math.floor(now / STEP) * STEP - LOOK_BACK * DAY;
	const began = Number(setting(db, 'history began') ?? now) + 6 * HOUR;
	const bins = Math.ceil((now - start) / STEP) + 1;
	const past = demandCurve(db, start, bins, of);
	const level = (t: number) => {
		const i = Math.round((t - start) / STEP);
		return t < began || i < 0 || i >= bins ? null : past[i]!;
	};
	const ahead: DemandForecast['ahead'] = [];
	for (let t = Math.ceil(now / STEP) * STEP; t <= now + hours * HOUR; t += STEP) {
		const f = forecast(t, now, level, (x) => wallTime(zone, x).weekday, LOOK_BACK - 1);
		if (f) ahead.push({ at: t, middle: f.middle, spread: f.spread });
	}
	const current = demandCurve(db, now, 1, of)[0]!;
	return { now: current, ahead };
}

/** The home site's time zone: that of the ribbon and of what belongs to no site. */
export function homeZone(db: Db): string {
	const home = setting(db, 'home');
	return all<{ zone: string }>(db, 'SELECT time_zone AS zone FROM sites WHERE id = ?', [home ?? ''])[0]?.zone ?? 'UTC';
}
