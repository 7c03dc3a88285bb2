import { DAY, HOUR } from '$lib/core/time/units';
import { all, one, putSetting, run, setting, type Db } from '../db';
import { TOLD_WITHIN } from '../providers';
import { packDay } from './packed';
import { COLUMNS, forgetNames, ROLLED, rolledUpTo } from './write';

/** So many hours are summed up at a time, so that whoever else writes waits for no more. */
const AT_ONCE = 48;
/** So many hours of what has been kept for long enough are let go at a time. */
const FORGET_AT_ONCE = 48;

const SUMS = 'sum(decisions), sum(CASE WHEN through = 0 THEN decisions ELSE 0 END), sum(down), sum(up)';
const BY = { person: 'person_id', rule: 'rule_id' } as const;

/** Sums up whole hours that have ended, and puts their rows where they are found by whom they are of. */
export function sumUp(db: Db, now: number): void {
	const last = Math.floor((now - TOLD_WITHIN) / HOUR) - 1;
	const hours = all<{ hour: number }>(
		db,
		'SELECT DISTINCT hour FROM activity_now WHERE hour > ? AND hour <= ? ORDER BY hour LIMIT ?',
		[rolledUpTo(db) ?? -1, last, AT_ONCE]
	);
	for (const { hour } of hours)
		db.transaction(() => {
			for (const [of, key] of Object.entries(BY))
				run(
					db,
					`INSERT INTO activity_${of}_hours(${key}, hour, decisions, refused, down, up) SELECT ${key}, hour, ${SUMS} FROM activity_now WHERE hour = ? GROUP BY ${key}`,
					[hour]
				);
			run(
				db,
				`INSERT INTO activity_days(day, rule_id, target_id, person_id, through, from_id, way, decisions, down, up)
				 SELECT hour / 24, rule_id, target_id, person_id, through, from_id, way, sum(decisions), sum(down), sum(up) FROM activity_now WHERE hour = ?
				 GROUP BY rule_id, target_id, person_id, through, from_id, way
				 ON CONFLICT DO UPDATE SET decisions = decisions + excluded.decisions, down = down + excluded.down, up = up + excluded.up`,
				[hour]
			);
			run(
				db,
				`INSERT INTO activity(${COLUMNS}) SELECT ${COLUMNS} FROM activity_now WHERE hour = ? ORDER BY person_id, id`,
				[hour]
			);
			run(db, 'DELETE FROM activity_now WHERE hour = ?', [hour]);
			putSetting(db, ROLLED, String(hour));
		}).immediate();
	packDay(db);
}

/** How long it is kept who reached what, in days; after that only sums are. */
export const KEPT_DAYS = 'activity kept';
export const USUALLY_KEPT = 90;
export const keptDays = (db: Db): number => Number(setting(db, KEPT_DAYS) ?? USUALLY_KEPT);

/** Lets go of who reached what once it has been kept for long enough, and of names that nothing speaks of any more: sums of hours stay. */
export function letGo(db: Db, now: number): void {
	const before = Math.floor((now - keptDays(db) * DAY) / HOUR);
	const rolled = rolledUpTo(db) ?? -1;
	const first = one<{ hour: number | null }>(db, 'SELECT min(hour) AS hour FROM activity')?.hour;
	// What was not summed up yet is not here, and stays until it is.
	if (first != null && first < before)
		for (const table of ['activity', 'activity_reasons'])
			run(db, `DELETE FROM ${table} WHERE hour < ?`, [Math.min(before, first + FORGET_AT_ONCE, rolled + 1)]);
	const day = Math.floor(before / 24);
	run(db, 'DELETE FROM activity_packed WHERE day < ?', [day]);
	if (run(db, 'DELETE FROM activity_days WHERE day < ?', [day]).changes === 0) return;
	// A name that was summed up stands in a day for as long as any row of it is kept.
	run(
		db,
		`DELETE FROM reached_targets WHERE NOT EXISTS (SELECT 1 FROM activity_days d WHERE d.target_id = reached_targets.id)
		 AND id NOT IN (SELECT target_id FROM activity_now)`
	);
	forgetNames(db);
}
