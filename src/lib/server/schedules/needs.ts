import { DAY } from '$lib/core/time/units';
import type { Need } from '$lib/core/why/need';
import { all, type Db } from '../db';

/** What was due and has not been done. */
export const scheduleNeeds = (db: Db, at: number): Need[] =>
	all<{ id: number; title: string; due: number; refused: string; line: string | null }>(
		db,
		`SELECT s.id, s.title, r.due, r.refused, json_extract(iif(json_valid(s.input), s.input, '{}'), '$.line') AS line FROM schedule_runs r JOIN schedules s ON s.id = r.schedule_id
		 WHERE r.refused IS NOT NULL AND r.due <= ?1 AND r.due > ?2 AND s.until > ?1
		 AND NOT EXISTS (SELECT 1 FROM schedule_runs n WHERE n.schedule_id = r.schedule_id AND n.due > r.due AND n.refused IS NULL)`,
		{ 1: at, 2: at - 7 * DAY }
	).map((r) => ({
		key: `schedule-${r.id}-${r.due}`,
		people: 0,
		count: 1,
		unit: 'not done',
		tone: 'sand',
		title: `${r.title} was due and has not been done`,
		facts: [{ words: r.refused, side: 'against', at: r.due, source: 'plan' }],
		card: null,
		href: '/build/schedules',
		plan: null,
		since: r.due,
		about: r.line ? { line: [r.line] } : {}
	}));
