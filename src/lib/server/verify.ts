import { packedProblems } from './activity';
import { firstBrokenChange } from './changes';
import { countProblems } from './changes/heads';
import { firstBrokenEntry, toldProblems } from './record';
import type { Db } from './db';
import { INTERVALS } from './db/intervals';
import { unreadable } from './db/json';

/** What is wrong with a database, one line each; none when it is right. */
export function verifyData(db: Db): string[] {
	const problems: string[] = [];
	const integrity = db.pragma('integrity_check', { simple: true }) as string;
	if (integrity !== 'ok') problems.push(`database: ${integrity}`);
	for (const f of db.pragma('foreign_key_check') as { table: string; rowid: number; parent: string }[])
		problems.push(`${f.table}: row ${f.rowid} points to a ${f.parent} that is not there`);
	const broken = firstBrokenChange(db);
	if (broken !== null) problems.push(`change log: broken at change ${broken}`);
	const entry = firstBrokenEntry(db);
	if (entry !== null) problems.push(`record: broken at entry ${entry}`);
	problems.push(...toldProblems(db), ...countProblems(db));
	for (const { column, rows } of unreadable(db, true)) {
		const [table, name] = column.split('.');
		problems.push(`${table}: ${name} of ${rows} rows cannot be read`);
	}
	return [...problems, ...packedProblems(db), ...intervalProblems(db)];
}

/** What is wrong with intervals: of each table that has any. */
export function intervalProblems(db: Db): string[] {
	const problems: string[] = [];
	for (const [table, { key, within: parent }] of Object.entries(INTERVALS)) {
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
