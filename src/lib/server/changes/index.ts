import { createHash } from 'node:crypto';
import { all, one, type Db } from '../db';
import { insertRow } from '../db/rows';
import { fromJson, fromJsonOrNull } from '../db/json';

export interface ChangeRow {
	number: number;
	at: number;
	by: string;
	via: string;
	kind: string;
	title: string;
	objects: string[];
	planId: number | null;
	jobId: number | null;
	outcome: 'done' | 'failed' | 'cancelled';
	/** The plan that would undo it. */
	undo: { kind: string; input: unknown } | null;
	hash: string;
}

type NewChange = Omit<ChangeRow, 'number' | 'hash'>;

interface RawChange {
	number: number;
	at: number;
	by: string;
	via: string;
	kind: string;
	title: string;
	objects: string;
	plan_id: number | null;
	job_id: number | null;
	outcome: ChangeRow['outcome'];
	undo: string | null;
	before: string;
	hash: string;
}

/** What the first change is chained to. */
const GENESIS = '0'.repeat(64);

/** Adds a line to the change log, chained to the one before it. Call within the transaction that makes the change. */
export function addChange(db: Db, c: NewChange): number {
	const last = one<{ number: number; hash: string }>(
		db,
		'SELECT number, hash FROM changes ORDER BY number DESC LIMIT 1'
	);
	const row: Omit<RawChange, 'hash'> = {
		number: (last?.number ?? 0) + 1,
		at: c.at,
		by: c.by,
		via: c.via,
		kind: c.kind,
		title: c.title,
		objects: JSON.stringify(c.objects),
		plan_id: c.planId,
		job_id: c.jobId,
		outcome: c.outcome,
		undo: c.undo ? JSON.stringify(c.undo) : null,
		before: last?.hash ?? GENESIS
	};
	insertRow(db, 'changes', { ...row, hash: hashOf(row) });
	return row.number;
}

/**
 * Follows the chain from the first change to the last. Null when it holds; else the first number where a line was
 * altered, taken out or put in.
 */
export function firstBrokenChange(db: Db): number | null {
	let before = GENESIS;
	let number = 0;
	for (const row of db.prepare('SELECT * FROM changes ORDER BY number').iterate() as IterableIterator<RawChange>) {
		number++;
		if (row.number !== number || row.before !== before || row.hash !== hashOf(row)) return number;
		before = row.hash;
	}
	return null;
}

/** Changes up to a moment, newest first. */
export function changesBefore(db: Db, at: number, limit = 200): ChangeRow[] {
	return all<RawChange>(db, 'SELECT * FROM changes WHERE at <= ? ORDER BY number DESC LIMIT ?', [at, limit]).map(
		fromRaw
	);
}

/** What stands in the log and changed nothing of the estate: a report was made of it. */
const TELLS = 'report.run';

/** Titles of what changed the estate within a span of time, with whether each failed: no more of them, for every page shows them. */
export const titlesBetween = (
	db: Db,
	from: number,
	to: number
): { at: number; title: string; failed: boolean; job: number | null }[] =>
	all<{ at: number; title: string; outcome: ChangeRow['outcome']; job: number | null }>(
		db,
		'SELECT at, title, outcome, job_id AS job FROM changes WHERE at >= ? AND at < ? AND kind <> ? ORDER BY number',
		[from, to, TELLS]
	).map(({ at, title, outcome, job }) => ({ at, title, failed: outcome === 'failed', job }));

/** One change, or null. */
export function changeByNumber(db: Db, number: number): ChangeRow | null {
	const row = one<RawChange>(db, 'SELECT * FROM changes WHERE number = ?', [number]);
	return row ? fromRaw(row) : null;
}

function hashOf(r: Omit<RawChange, 'hash'>): string {
	const fields = [
		r.number,
		r.at,
		r.by,
		r.via,
		r.kind,
		r.title,
		r.objects,
		r.plan_id,
		r.job_id,
		r.outcome,
		r.undo,
		r.before
	];
	return createHash('sha256').update(JSON.stringify(fields)).digest('hex');
}

const fromRaw = (r: RawChange): ChangeRow => ({
	number: r.number,
	at: r.at,
	by: r.by,
	via: r.via,
	kind: r.kind,
	title: r.title,
	objects: fromJson<string[]>('changes.objects', r.objects),
	planId: r.plan_id,
	jobId: r.job_id,
	outcome: r.outcome,
	undo: fromJsonOrNull<NonNullable<ChangeRow['undo']>>('changes.undo', r.undo),
	hash: r.hash
});

/** The number of the change that a job left, or null where it has left none. */
export const changeOfJob = (db: Db, job: number): number | null =>
	one<{ number: number }>(db, 'SELECT number FROM changes WHERE job_id = ?', [job])?.number ?? null;
