import { forecast } from '$lib/core/capacity/forecast';
import { countOver } from '$lib/core/time/intervals';
import { DAY, HOUR } from '$lib/core/time/units';
import { wallTime } from '$lib/core/time/zone';
import { all, setting, type Db } from '../db';
import { keptCounts, STEP } from './kept';

const LOOK_BACK = 15;

export interface DemandForecast {
	now: number;
	/** Every `STEP` from `from` on, up to the present: what the forecast rests on. */
	past: { from: number; counts: number[] };
	/** `days`: past days that it rests on. */
	ahead: { at: number; middle: number; spread: number; days: number }[];
}

/** Whose sessions `s` are counted: of a pool, those that a condition holds for, or all. */
export type DemandOf = { pool: string } | { sql: string; params: Record<string, unknown> } | null;

/** Sessions every quarter hour from `from` on, counted from their intervals. */
export function demandCurve(db: Db, from: number, bins: number, of: DemandOf, step = STEP): number[] {
	const condition =
		of === null
			? { sql: '1', params: {} }
			: 'pool' in of
				? { sql: 's.machine_id IN (SELECT id FROM machines WHERE pool_id = @pool)', params: of }
				: of;
	const rows = all<{ since: number; until: number }>(
		db,
		`SELECT s.since, s.until FROM sessions s WHERE s.until > @from AND s.since < @to AND ${condition.sql}`,
		{ ...condition.params, from, to: from + bins * step }
	);
	return countOver(rows, from, step, bins);
}

/**
 * Sessions now, and the forecast for the hours ahead, from the same minutes of past days.
 *
 * @param key names the question, so that what has passed is counted once; null when its past depends on the moment
 */
export function demandForecast(
	db: Db,
	now: number,
	hours: number,
	of: DemandOf,
	key: string | null = of === null || 'pool' in of ? `demand ${JSON.stringify(of)}` : null
): DemandForecast {
	const zone = homeZone(db);
	const start = Math.floor(now / STEP) * STEP - LOOK_BACK * DAY;
	const began = Number(setting(db, 'history began') ?? now) + 6 * HOUR;
	const bins = Math.ceil((now - start) / STEP) + 1;
	const past = keptCounts(db, key, start, bins, now, (from, n) => demandCurve(db, from, n, of));
	const level = (t: number) => {
		const i = Math.round((t - start) / STEP);
		return t < began || i < 0 || i >= bins ? null : past[i]!;
	};
	const ahead: DemandForecast['ahead'] = [];
	for (let t = Math.ceil(now / STEP) * STEP; t <= now + hours * HOUR; t += STEP) {
		const f = forecast(t, now, level, (x) => wallTime(zone, x).weekday, LOOK_BACK - 1);
		if (f) ahead.push({ at: t, ...f });
	}
	const current = demandCurve(db, now, 1, of)[0]!;
	return { now: current, past: { from: start, counts: past }, ahead };
}

/** The home site's time zone: that of the ribbon and of what belongs to no site. */
export function homeZone(db: Db): string {
	const home = setting(db, 'home');
	return all<{ zone: string }>(db, 'SELECT time_zone AS zone FROM sites WHERE id = ?', [home ?? ''])[0]?.zone ?? 'UTC';
}
