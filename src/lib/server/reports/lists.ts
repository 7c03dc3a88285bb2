import * as v from 'valibot';
import { moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { reportsAt, runsAt } from './queries';

/** Of those that were made so many are listed. */
const LISTED = 2000;

export const reports = shortList({
	name: 'reports',
	words: 'Reports that are kept, and those that ship',
	card: 'report',
	need: { area: 'reports', level: 'read' },
	row: v.strictObject({
		id: text,
		name: text,
		question: text,
		source: text,
		scope: text,
		days: whole,
		columns: v.array(text),
		by: text,
		ships: v.boolean(),
		since: v.nullable(moment)
	}),
	rows: (db, at) =>
		reportsAt(db, at).map(({ id, name, question, source, scope, days, spec, by, ships, since }) => ({
			id,
			name,
			question,
			source,
			scope,
			days,
			columns: [...spec.columns],
			by,
			ships,
			since
		})),
	called: (r) => r.name
});

export const reportRuns = shortList({
	name: 'report-runs',
	words: 'Reports that were made, the latest first',
	card: null,
	need: { area: 'reports', level: 'read' },
	row: v.strictObject({
		id: whole,
		report: text,
		name: text,
		question: text,
		source: text,
		scope: text,
		days: v.nullable(whole),
		zone: text,
		at: moment,
		by: text,
		why: v.nullable(text),
		lines: whole,
		rows: whole
	}),
	rows: (db, at) => runsAt(db, at, LISTED),
	why: (_db, r) => [
		{ words: r.question, at: r.at, source: `made by ${r.by}` },
		...(r.why === null ? [] : [{ words: r.why, source: 'why it was made' }])
	]
});
