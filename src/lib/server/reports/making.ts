import { may, type Area, type Level } from '$lib/core/access/rights';
import { reportOf } from '$lib/core/reports/table';
import { EVERYTHING, parseScope, termWords, type Scope } from '$lib/core/scope/scope';
import { one, type Db } from '../db';
import { callerNow } from '../identity/accounts';
import { asRole, type Caller } from '../identity/caller';
import { columnsOf, sourcesDeclared, type ReportSource } from '../lists/sources';
import { knownScope } from '../moment/names';
import { InputProblem } from '../plans/kind';
import type { Made } from './queries';
import type { KeptReport } from './report';

/** Rows of a list that one report is made of. */
const MOST_ROWS = 50_000;

/** A source by its name. Throws InputProblem beside `source` where there is none. */
export function sourceCalled(name: string): ReportSource {
	const source = sourcesDeclared().get(name);
	if (!source) throw new InputProblem([{ field: 'source', words: `There is no list called ${name.slice(0, 60)}.` }]);
	return source;
}

/** A scope as it is typed, by what is there now. Throws InputProblem beside `scope` where it cannot be read. */
export function readScope(db: Db, text: string): Scope {
	if (text.trim() === '') return EVERYTHING;
	const typed = parseScope(text);
	const known = knownScope(db, typed.scope);
	const problems = [...typed.problems, ...known.problems];
	if (problems.length) throw new InputProblem(problems.map((p) => ({ field: 'scope', words: p.words })));
	return known.scope;
}

/** What whoever makes a report of a source needs. */
export const needOf = (source: Pick<ReportSource, 'need'>): { area: Area; level: Level } =>
	source.need ?? { area: 'estate', level: 'read' };

/** Makes a report of what a database shows at a moment, ms UTC. Throws InputProblem where that cannot be. */
export function makeReport(db: Db, report: KeptReport, at: number): Made {
	const source = sourceCalled(report.source);
	const scope = readScope(db, report.scope);
	const { rows, left } = source.page(db, {
		at,
		scope,
		sort: '',
		descending: false,
		limit: MOST_ROWS,
		offset: 0,
		days: report.days,
		zone: report.zone
	});
	return {
		...reportOf(rows, columnsOf(source), { ...report.spec, zone: report.zone }),
		left: left.map((t) => termWords(t))
	};
}

/** Who had a job made, with what they may now; null where they have been shut out since. */
export function makerOf(db: Db, job: number, now: number): Caller | null {
	const row = one<{ kind: Caller['kind'] | null; id: number | null; assignment: number | null; by: string }>(
		db,
		'SELECT by_kind AS kind, by_id AS id, assignment_id AS assignment, by FROM jobs WHERE id = ?',
		[job]
	);
	if (!row || row.kind === null || row.id === null) return null;
	// What the estate was set up with is done as whoever sets it up.
	if (row.id === 0)
		return { kind: 'token', id: 0, name: row.by, login: '', ...asRole('builder'), factor: false, signIn: null };
	return callerNow(db, row.kind, row.id, now, row.assignment);
}

/** Whether somebody may read what a report is made of. */
export const mayRead = (caller: Pick<Caller, 'rights'>, source: Pick<ReportSource, 'need'>): boolean => {
	const { area, level } = needOf(source);
	return may(caller.rights, area, level);
};
