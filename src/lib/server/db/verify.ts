import { firstBrokenChange } from '../changes';
import { countProblems } from '../changes/heads';
import type { Db } from './index';
import { unreadable } from './json';

/** Interval tables, what names the thing that an interval belongs to, and where that thing stands. */
const INTERVALS = [
	{ table: 'machine_states', key: ['machine_id'], parent: 'machines' },
	{ table: 'machine_places', key: ['machine_id'], parent: 'machines' },
	{ table: 'session_states', key: ['session_id'], parent: 'sessions' },
	{ table: 'failing_checks', key: ['machine_id', 'name'], parent: 'machines' },
	{ table: 'gateway_ports', key: ['gateway_id', 'protocol'], parent: null },
	{ table: 'pools', key: ['id'], parent: null },
	{ table: 'publications', key: ['id'], parent: null },
	{ table: 'grants', key: ['id'], parent: null },
	{ table: 'sheets', key: ['line_id'], parent: null },
	{ table: 'version_holds', key: ['line_id', 'number'], parent: null },
	{ table: 'deliveries', key: ['pool_id', 'package'], parent: null },
	{ table: 'attachments', key: ['machine_id', 'package', 'version'], parent: 'machines' },
	{ table: 'attach_failures', key: ['machine_id', 'package', 'version'], parent: 'machines' },
	{ table: 'fetched', key: ['person_id', 'publication_id'], parent: null },
	{ table: 'warm_ups', key: ['name', 'number'], parent: null },
	{ table: 'package_clashes', key: ['a', 'b'], parent: null },
	{ table: 'package_positions', key: ['name'], parent: null }
] as const;

/** What is wrong with a database, one line each; none when it is right. */
export function verifyData(db: Db): string[] {
	const problems: string[] = [];
	const integrity = db.pragma('integrity_check', { simple: true }) as string;
	if (integrity !== 'ok') problems.push(`database: ${integrity}`);
	for (const f of db.pragma('foreign_key_check') as { table: string; rowid: number; parent: string }[])
		problems.push(`${f.table}: row ${f.rowid} points to a ${f.parent} that is not there`);
	const broken = firstBrokenChange(db);
	if (broken !== null) problems.push(`change log: broken at change ${broken}`);
	problems.push(...countProblems(db));
	for (const { column, rows } of unreadable(db, true)) {
		const [table, name] = column.split('.');
		problems.push(`${table}: ${name} of ${rows} rows cannot be read`);
	}
	for (const { table, key, parent } of INTERVALS) {
		const keys = key.join(', ');
		const empty = db.prepare(`SELECT count(*) AS n FROM ${table} WHERE until <= since`).get() as { n: number };
		if (empty.n) problems.push(`${table}: ${empty.n} intervals end before they begin`);
		const overlap = db
			.prepare(
				`SELECT count(*) AS n FROM (SELECT since, lag(until) OVER (PARTITION BY ${keys} ORDER BY since) AS before FROM ${table}) WHERE before > since`
			)
			.get() as { n: number };
		if (overlap.n) problems.push(`${table}: ${overlap.n} intervals overlap the one before`);
		if (parent) {
			const orphans = db
				.prepare(`SELECT count(*) AS n FROM ${table} t LEFT JOIN ${parent} p ON p.id = t.${key[0]} WHERE p.id IS NULL`)
				.get() as { n: number };
			if (orphans.n) problems.push(`${table}: ${orphans.n} intervals belong to nothing in ${parent}`);
			const outlive = db
				.prepare(`SELECT count(*) AS n FROM ${table} t JOIN ${parent} p ON p.id = t.${key[0]} WHERE t.until > p.until`)
				.get() as { n: number };
			if (outlive.n) problems.push(`${table}: ${outlive.n} intervals go on after what they belong to has ended`);
		}
	}
	return problems;
}
