import * as v from 'valibot';
import { changesBefore } from '../changes';
import { jobEntries } from '../calls/answers';
import { recentJobs } from '../jobs';
import { moment, text, whole } from '../lists/columns';
import type { ListKind } from '../lists/kind';
import { shortList } from '../lists/short';
import { planById } from '../plans';

/** No limit, in SQLite's terms. */
const ALL = -1;

const jobs = shortList({
	name: 'jobs',
	words: 'Jobs, the latest first',
	card: null,
	row: v.strictObject(jobEntries),
	rows: (db, at) => recentJobs(db, at, ALL),
	why: (db, job) => [
		...(planById(db, job.planId)?.reasons ?? []),
		...(job.error ? [{ words: job.error, side: 'against' as const, source: 'job log' }] : [])
	]
});

const changes = shortList({
	name: 'changes',
	words: 'The change log, the latest first',
	card: 'change',
	row: v.strictObject({
		number: whole,
		at: moment,
		by: text,
		via: text,
		kind: text,
		title: text,
		objects: v.array(text),
		planId: v.nullable(whole),
		jobId: v.nullable(whole),
		outcome: v.picklist(['done', 'failed', 'cancelled']),
		undo: v.nullable(v.strictObject({ kind: text, input: v.unknown() })),
		hash: text
	}),
	rows: (db, at) => changesBefore(db, at, ALL),
	idOf: (c) => String(c.number)
});

/** What is listed of work that every area has: jobs, and the change log. */
export const workLists: readonly ListKind[] = [jobs, changes];
