import { forecast, judge, together, type Backtest } from '$lib/core/capacity/forecast';
import { LRUCache } from 'lru-cache';
import { countOver } from '$lib/core/time/intervals';
import { STEPS } from './steps-sql';
import { DAY, HOUR } from '$lib/core/time/units';
import { all, setting, type Db } from '../db';
import { asOf } from '../db/intervals';
import { keptCounts, STEP } from './kept-counts';

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

/**
 * What people wanted, every quarter hour from `from` on: their sessions, and of a pool those who waited for it, too, since what it could
 * hold is not what was asked of it. Counted from their intervals.
 */
export const demandCurve = (db: Db, from: number, bins: number, of: DemandOf, step = STEP): number[] =>
	countOver(wantedOver(db, from, step, bins, of), from, step, bins);

/** As many as wanted something from one step to another, of those who sit in a zone. */
interface Wanted {
	since: number;
	until: number;
	weight: number;
	zone: string;
}

/** Put together by their steps where they lie: a row for each of many thousand sessions takes longer to hand over than to find. */
function wantedOver(db: Db, from: number, step: number, bins: number, of: DemandOf): Wanted[] {
	const condition =
		of === null
			? { sql: '1', params: {} }
			: 'pool' in of
				? { sql: 's.machine_id IN (SELECT id FROM machines WHERE pool_id = @pool)', params: of }
				: of;
	const params = { ...condition.params, from, to: from + bins * step, step, bins };
	// By their end: nearly all have begun before a moment that is about now (see `OPEN`).
	// Where they sat then.
	const sitting = `CROSS JOIN person_facts zp ON zp.person_id = s.person_id AND ${asOf('person_facts zp', 's.since')} CROSS JOIN sites zi ON zi.id = zp.site_id`;
	const rows = all<Wanted>(
		db,
		`SELECT ${STEPS}, zi.time_zone AS zone FROM sessions s ${sitting} WHERE s.until > @from AND +s.since < @to AND ${condition.sql} GROUP BY 1, 2, 4`,
		params
	);
	// Whoever would be served by several pools waits for the nearest.
	const waiting =
		of !== null && 'pool' in of
			? all<Wanted>(
					db,
					`SELECT ${STEPS}, zi.time_zone AS zone FROM waits s ${sitting} WHERE s.until > @from AND +s.since < @to
					 AND json_extract(iif(json_valid(s.pools), s.pools, '[]'), '$[0]') = @pool GROUP BY 1, 2, 4`,
					params
				)
			: [];
	return [...rows, ...waiting];
}

/**
 * What people want now, and the forecast for the hours ahead: from the same wall time of past days, for those of each zone by their own clock
 * and calendar.
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
	const start = Math.floor(now / STEP) * STEP - LOOK_BACK * DAY;
	const bins = Math.ceil((now - start) / STEP) + 1;
	const parts = levelsByZone(db, now, start, bins, of, key);
	const ahead: DemandForecast['ahead'] = [];
	for (let t = Math.ceil(now / STEP) * STEP; t <= now + hours * HOUR; t += STEP) {
		const f = together(parts.map((p) => forecast(t, now, p.level, p.zone, LOOK_BACK - 1)));
		if (f) ahead.push({ at: t, ...f });
	}
	const counts = Array.from({ length: bins }, (_v, i) => parts.reduce((n, p) => n + p.counts[i]!, 0));
	return { now: demandCurve(db, now, 1, of)[0]!, past: { from: start, counts }, ahead };
}

/** What was wanted by those of each zone in which people sit, every step of the past, and as a level by moment. */
function levelsByZone(db: Db, now: number, start: number, bins: number, of: DemandOf, key: string | null) {
	const began = Number(setting(db, 'history began') ?? now) + 6 * HOUR;
	// Those of all zones are asked for at once: what has to be counted anew is mostly the same for each.
	const asked = new Map<string, Map<string, Wanted[]>>();
	const wantedIn = (zone: string, from: number, n: number): Wanted[] => {
		let byZone = asked.get(`${from} ${n}`);
		if (!byZone) {
			asked.set(`${from} ${n}`, (byZone = new Map()));
			for (const w of wantedOver(db, from, STEP, n, of)) {
				const list = byZone.get(w.zone);
				if (list) list.push(w);
				else byZone.set(w.zone, [w]);
			}
		}
		return byZone.get(zone) ?? [];
	};
	return zonesOfPeople(db).map((zone) => {
		const counts = keptCounts(db, key && `${key} ${zone}`, start, bins, now, (from, n) =>
			countOver(wantedIn(zone, from, n), from, STEP, n)
		);
		const level = (t: number) => {
			const i = Math.round((t - start) / STEP);
			return t < began || i < 0 || i >= bins ? null : counts[i]!;
		};
		return { zone, counts, level };
	});
}

const zonesOfPeople = (db: Db): string[] =>
	all<{ zone: string }>(
		db,
		'SELECT DISTINCT time_zone AS zone FROM sites WHERE EXISTS (SELECT 1 FROM person_facts f WHERE f.site_id = sites.id) ORDER BY 1'
	).map((z) => z.zone);

/** Forecasts are judged so long before what they were of, and for so many days past. */
const MADE_BEFORE = 6 * HOUR;
const JUDGED = 7 * DAY;

/** How well the forecasts of the last seven days did, made six hours before each hour. Null while there is no past to judge by. */
export function demandBacktest(db: Db, now: number, of: { pool: string } | null): Backtest | null {
	const hour = Math.floor(now / HOUR);
	let known = backtests.get(db);
	if (!known) backtests.set(db, (known = new LRUCache({ max: 200 })));
	const key = `${hour} ${of === null ? '' : of.pool}`;
	const kept = known.get(key) ?? { judged: backtest(db, now, of) };
	known.set(key, kept);
	return kept.judged;
}

/** It judges whole hours, so it is the same for all of the next: with people in many zones it takes a while. */
const backtests = new WeakMap<Db, LRUCache<string, { judged: Backtest | null }>>();

function backtest(db: Db, now: number, of: { pool: string } | null): Backtest | null {
	const back = Math.ceil(JUDGED / DAY) + LOOK_BACK;
	const start = Math.floor(now / STEP) * STEP - back * DAY;
	const bins = Math.ceil((now - start) / STEP);
	const parts = levelsByZone(db, now, start, bins, of, `backtest ${JSON.stringify(of)}`);
	const made: Parameters<typeof judge>[0][number][] = [];
	for (let t = Math.floor(now / HOUR) * HOUR; t > now - JUDGED; t -= HOUR) {
		const asOf = t - MADE_BEFORE;
		const known = (level: (t: number) => number | null) => (x: number) => (x > asOf ? null : level(x));
		const levels = parts.map((p) => p.level(t));
		made.push({
			forecast: together(parts.map((p) => forecast(t, asOf, known(p.level), p.zone, LOOK_BACK - 1))),
			was: levels.some((l) => l === null) ? null : levels.reduce<number>((n, l) => n + l!, 0)
		});
	}
	return judge(made);
}

/** The home site's time zone: that of the ribbon and of what belongs to no site. */
export function homeZone(db: Db): string {
	const home = setting(db, 'home');
	return all<{ zone: string }>(db, 'SELECT time_zone AS zone FROM sites WHERE id = ?', [home ?? ''])[0]?.zone ?? 'UTC';
}
