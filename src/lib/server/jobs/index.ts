import type { ProblemCode } from '$lib/core/why/problems';
import { all, one, run, type Db } from '../db';
import { fromJsonOrNull } from '../db/json';

export type JobState = 'waiting' | 'queued' | 'running' | 'done' | 'failed' | 'cancelled';

export interface JobRow {
	id: number;
	planId: number;
	kind: string;
	title: string;
	state: JobState;
	by: string;
	madeAt: number;
	/** When it is to begin, for a job that waits. */
	notBefore: number;
	began: number | null;
	ended: number | null;
	/** Ms. */
	expected: number;
	/** 0–1, by the expected times of its steps and how far into the running one it is. */
	progress: number;
	expectedEnd: number | null;
	result: Record<string, unknown>;
	error: string | null;
	/** Which of the catalogue of errors ended it; null of one that got done, or has not ended. */
	problem: ProblemCode | null;
	cancelling: boolean;
}

export interface JobStepRow {
	n: number;
	kind: string;
	words: string;
	state: 'queued' | 'running' | 'done' | 'failed' | 'skipped';
	expected: number;
	began: number | null;
	ended: number | null;
	error: string | null;
	items: { done: number; failed: number };
}

interface RawJob {
	id: number;
	plan_id: number;
	kind: string;
	title: string;
	state: JobState;
	by: string;
	made_at: number;
	not_before: number;
	began: number | null;
	ended: number | null;
	expected: number;
	cancel: number;
	result: string | null;
	error: string | null;
	problem: ProblemCode | null;
	done: number | null;
	running: number | null;
	running_since: number | null;
}

const SELECT = `SELECT j.*, (SELECT sum(expected) FROM job_steps s WHERE s.job_id = j.id AND s.state IN ('done', 'skipped')) AS done,
	(SELECT expected FROM job_steps s WHERE s.job_id = j.id AND s.state = 'running' LIMIT 1) AS running,
	(SELECT began FROM job_steps s WHERE s.job_id = j.id AND s.state = 'running' LIMIT 1) AS running_since FROM jobs j`;

/** Jobs that are not ended, as of now. */
export const runningJobs = (db: Db, now: number): JobRow[] =>
	all<RawJob>(db, `${SELECT} WHERE j.state IN ('waiting', 'queued', 'running') ORDER BY j.id DESC`).map((r) =>
		fromRaw(r, now)
	);

/** The latest jobs made up to a moment. */
export const recentJobs = (db: Db, at: number, limit = 100): JobRow[] =>
	all<RawJob>(db, `${SELECT} WHERE j.made_at <= ? ORDER BY j.id DESC LIMIT ?`, [at, limit]).map((r) => fromRaw(r, at));

/** One job, or null. */
export function jobById(db: Db, id: number, now: number): JobRow | null {
	const row = one<RawJob>(db, `${SELECT} WHERE j.id = ?`, [id]);
	return row ? fromRaw(row, now) : null;
}

/** The steps of a job in their order, with how many of their items are done. */
export function stepsOf(db: Db, job: number): JobStepRow[] {
	return all<JobStepRow & { items_done: number; items_failed: number }>(
		db,
		`SELECT n, kind, words, state, expected, began, ended, error,
		 (SELECT count(*) FROM job_items i WHERE i.job_id = s.job_id AND i.n = s.n AND i.state = 'done') AS items_done,
		 (SELECT count(*) FROM job_items i WHERE i.job_id = s.job_id AND i.n = s.n AND i.state = 'failed') AS items_failed
		 FROM job_steps s WHERE job_id = ? ORDER BY n`,
		[job]
	).map(({ items_done, items_failed, ...s }) => ({ ...s, items: { done: items_done, failed: items_failed } }));
}

/** The job's log, oldest first. */
export const logOf = (db: Db, job: number): { id: number; n: number; at: number; line: string }[] =>
	all(db, 'SELECT id, n, at, line FROM job_log WHERE job_id = ? ORDER BY id', [job]);

/** Items of a job that failed, with the reason. */
export const failedItems = (db: Db, job: number): { item: string; error: string }[] =>
	all(db, `SELECT item, error FROM job_items WHERE job_id = ? AND state = 'failed' ORDER BY item`, [job]);

/** Asks a job to stop where that is safe. False when it has ended already. */
export function askToCancel(db: Db, job: number): boolean {
	return (
		run(db, `UPDATE jobs SET cancel = 1 WHERE id = ? AND state IN ('waiting', 'queued', 'running')`, [job]).changes > 0
	);
}

function fromRaw(r: RawJob, now: number): JobRow {
	const into = r.running_since === null ? 0 : Math.min(r.running! * 0.97, Math.max(0, now - r.running_since));
	const ended = r.state === 'done' ? 1 : 0;
	const progress = ended || (r.expected > 0 ? Math.min(0.99, ((r.done ?? 0) + into) / r.expected) : 0);
	return {
		id: r.id,
		planId: r.plan_id,
		kind: r.kind,
		title: r.title,
		state: r.state,
		by: r.by,
		madeAt: r.made_at,
		notBefore: r.not_before,
		began: r.began,
		ended: r.ended,
		expected: r.expected,
		progress,
		expectedEnd:
			r.state === 'running'
				? now + Math.max(0, r.expected - (r.done ?? 0) - into)
				: r.state === 'waiting'
					? r.not_before + r.expected
					: null,
		result: fromJsonOrNull<Record<string, unknown>>('jobs.result', r.result) ?? {},
		error: r.error,
		problem: r.problem,
		cancelling: r.cancel === 1 && r.ended === null
	};
}

/** The latest jobs of a kind made up to a moment, with what came of them. */
export const jobsOfKind = (
	db: Db,
	kind: string,
	at: number,
	limit: number
): (Pick<JobRow, 'id' | 'title' | 'state' | 'ended' | 'error'> & { result: Record<string, unknown> })[] =>
	all<Pick<RawJob, 'id' | 'title' | 'state' | 'ended' | 'error' | 'result'>>(
		db,
		'SELECT id, title, state, ended, result, error FROM jobs WHERE kind = ? AND made_at <= ? ORDER BY id DESC LIMIT ?',
		[kind, at, limit]
	).map((j) => ({ ...j, result: fromJsonOrNull<Record<string, unknown>>('jobs.result', j.result) ?? {} }));
