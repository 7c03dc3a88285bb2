import type { Recurrence } from '$lib/core/time/recurrence';
import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';
import { fromJson } from '../db/json';

/** A plan that comes back by itself. */
export interface Schedule extends Recurrence {
	id: number;
	title: string;
	kind: string;
	input: unknown;
	by: string;
	operator: number | null;
	/** By which they had set it; null: by whichever is their first. */
	assignment: number | null;
	since: number;
	until: number;
	/** Up to when it has been done, ms UTC. */
	doneTo: number;
}

interface Raw extends Omit<Schedule, 'input'> {
	input: string;
}

const COLUMNS =
	'id, title, kind, input, rule, zone, begins, by, operator_id AS operator, assignment_id AS assignment, since, until, done_to AS doneTo';
const fromRaw = (r: Raw): Schedule => ({ ...r, input: fromJson<unknown>('schedules.input', r.input) });

/** Schedules in force at a moment, in the order in which they were set. */
export const schedulesAt = (db: Db, at: number): Schedule[] =>
	all<Raw>(db, `SELECT ${COLUMNS} FROM schedules WHERE ${asOf('schedules', '?')} ORDER BY id`, [at, at]).map(fromRaw);

/** One schedule, or null. */
export function scheduleById(db: Db, id: number): Schedule | null {
	const row = one<Raw>(db, `SELECT ${COLUMNS} FROM schedules WHERE id = ?`, [id]);
	return row ? fromRaw(row) : null;
}

/** What became of each time that a schedule was due, newest first. */
export const runsOf = (
	db: Db,
	schedule: number,
	limit = 10
): { due: number; jobId: number | null; refused: string | null; state: string | null }[] =>
	all(
		db,
		`SELECT r.due, r.job_id AS jobId, r.refused, j.state FROM schedule_runs r LEFT JOIN jobs j ON j.id = r.job_id WHERE r.schedule_id = ? ORDER BY r.due DESC LIMIT ?`,
		[schedule, limit]
	);
