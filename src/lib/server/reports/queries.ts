import type { ReportSpec } from '$lib/core/reports/spec';
import type { ReportTable } from '$lib/core/reports/table';
import { homeZone } from '../capacity';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { fromJson } from '../db/json';
import type { KeptReport } from './report';
import { SHIPPED } from './shipped';

interface Raw extends Omit<KeptReport, 'spec' | 'ships' | 'zone'> {
	spec: string;
}

const COLUMNS = 'id, name, question, source, scope, days, spec, by, since';

/** Every report at a moment, by name: those that were kept, and those that ship, where none that was kept stands in their stead. */
export function reportsAt(db: Db, at: number): KeptReport[] {
	const home = homeZone(db);
	const kept = all<Raw>(db, `SELECT ${COLUMNS} FROM reports WHERE ${asOf('reports')}`, { at }).map((r): KeptReport => {
		const { zone, ...spec } = fromJson<ReportSpec>('reports.spec', r.spec);
		return { ...r, spec, zone: zone || home, ships: false };
	});
	const ids = new Set(kept.map((r) => r.id));
	const shipped = SHIPPED.filter((r) => !ids.has(r.id)).map((r): KeptReport => ({ ...r, zone: home, since: null }));
	return [...kept, ...shipped].sort((a, b) => a.name.localeCompare(b.name, 'en') || (a.id < b.id ? -1 : 1));
}

/** One report at a moment, by its id; null where there is none. */
export const reportAt = (db: Db, id: string, at: number): KeptReport | null =>
	reportsAt(db, at).find((r) => r.id === id) ?? null;

/** A report that was made. */
export interface Run {
	id: number;
	report: string;
	name: string;
	question: string;
	source: string;
	scope: string;
	/** Null: of a moment. */
	days: number | null;
	zone: string;
	at: number;
	by: string;
	/** Why, where it tells what single people reached. */
	why: string | null;
	lines: number;
	/** Rows that it was made of. */
	rows: number;
}

const RUN = 'id, report_id AS report, name, question, source, scope, days, zone, at, by, why, lines, rows';

/** Reports that were made up to a moment, of one report or of all, the latest first. */
export const runsAt = (db: Db, at: number, limit: number, report?: string): Run[] =>
	all(
		db,
		`SELECT ${RUN} FROM report_runs WHERE at <= @at ${report === undefined ? '' : 'AND report_id = @report'} ORDER BY at DESC, id DESC LIMIT @limit`,
		{ at, limit, report }
	);

/** The last that was made of each report up to a moment. */
export const lastRuns = (db: Db, at: number): Map<string, Run> =>
	new Map(
		all<Run>(
			db,
			`SELECT ${RUN} FROM report_runs r WHERE id = (SELECT id FROM report_runs l WHERE l.report_id = r.report_id AND l.at <= @at ORDER BY l.at DESC, l.id DESC LIMIT 1)`,
			{ at }
		).map((r) => [r.report, r])
	);

/** What somebody made, with the parts of its scope that say nothing of it. */
export interface Made extends ReportTable {
	left: string[];
}

/** A report that was made, with its lines; null where there is none of that number. */
export function runById(db: Db, id: number): (Run & { made: Made }) | null {
	const row = one<Run & { made: string }>(db, `SELECT ${RUN}, made FROM report_runs WHERE id = ?`, [id]);
	return row ? { ...row, made: fromJson<Made>('report_runs.made', row.made) } : null;
}
