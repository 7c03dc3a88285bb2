import { all, run, type Db } from '../db';
import { insertRow } from '../db/rows';

/** Word to whoever started a job that it has ended. */
export interface Notice {
	id: number;
	title: string;
	good: boolean;
	jobId: number;
}

/** Leaves word for an operator; once for each job. */
export function addNotice(
	db: Db,
	notice: { operator: number; job: number; at: number; title: string; good: boolean }
): void {
	const { operator: operator_id, job: job_id, at, title, good } = notice;
	insertRow(db, 'notices', { operator_id, job_id, at, title, good: good ? 1 : 0 }, 'keep');
}

/** What an operator has not seen yet, newest first. */
export const noticesOf = (db: Db, operator: number): Notice[] =>
	all<Omit<Notice, 'good'> & { good: number }>(
		db,
		'SELECT id, title, good, job_id AS jobId FROM notices WHERE operator_id = ? AND seen = 0 ORDER BY id DESC LIMIT 12',
		[operator]
	).map((n) => ({ ...n, good: n.good === 1 }));

/** Marks all of an operator's as seen. */
export const seenNotices = (db: Db, operator: number): void =>
	void run(db, 'UPDATE notices SET seen = 1 WHERE operator_id = ?', [operator]);
