import Database from 'better-sqlite3';
import { LRUCache } from 'lru-cache';
import { PART_FACETS, readPart, type Part } from '$lib/core/access/part';
import { folded } from '$lib/core/text/nearest';
import type { Db } from '../db';
import { MADE_OF, SETS, TABLES } from './tables';

/**
 * The database as somebody sees it who is there for a part of the estate: a connection of its own that reads alone, on which every table is
 * a view of the rows that are in the part. Whatever is asked of it, by whichever query, is answered from those; nothing can be forgotten in
 * a query, and nothing written.
 */

/** Parts whose connections are kept open. */
const KEPT = 40;
/** What is in a part is looked at again when something has been written, at most so often, ms, and no longer than a tenth of the time. */
const LOOK = 1000;
/** Who is at work where moves all the time: a part that is told by it is worked out anew this often, ms; any part at least so often, for what began meanwhile. */
const AT_WORK = 10_000;
const ANYWAY = 60_000;
/** One that is thrown out is closed once nothing that was asked of it can still be on its way, ms. */
const LINGER = 120_000;

/** A part that has nothing: what cannot be read as one. */
export const NOTHING = '-';

interface View {
	db: Db;
	part: Part;
	/** By which it is known whether anything has been written since, and whether it was anything that decides what is in a part. */
	version: number;
	mark: string;
	filled: number;
	looked: number;
	took: number;
}

const views = new WeakMap<Db, LRUCache<string, View>>();

/**
 * The view of a part, as it is written, such as `site:north`. What is in it is as things are at the moment, ms UTC; somebody who has left
 * stays of the part they were of last.
 * @param now whether it has to be as things are just now, not a second ago: before anything is changed
 */
export function inPart(whole: Db, part: string, at: number, now = false): Db {
	let kept = views.get(whole);
	if (!kept)
		views.set(
			whole,
			(kept = new LRUCache({ max: KEPT, dispose: ({ db }: View) => void setTimeout(() => db.close(), LINGER).unref() }))
		);
	let view = kept.get(part);
	if (!view) kept.set(part, (view = open(whole, part)));
	const stale = performance.now() - view.looked > Math.max(LOOK, 10 * view.took);
	if (now || view.version < 0 || stale) look(view, at, now);
	return view.db;
}

function open(whole: Db, text: string): View {
	const { part, problems } = readPart(text);
	// What cannot be read is no part at all: nothing is in it.
	const db = new Database(whole.name, { readonly: true });
	db.pragma('busy_timeout = 10000');
	db.pragma('cache_size = -16384');
	db.pragma('mmap_size = 268435456');
	db.pragma('temp_store = MEMORY');
	db.function('folded', { deterministic: true }, (t: unknown) => (typeof t === 'string' ? folded(t) : t));
	for (const [name, type] of Object.entries(SETS))
		db.exec(`CREATE TEMP TABLE within_${name}(id ${type} PRIMARY KEY) STRICT, WITHOUT ROWID`);
	const tables = db
		.prepare(`SELECT name FROM main.sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'`)
		.pluck()
		.all() as string[];
	for (const table of tables) {
		const seen = TABLES[table] ?? 'none';
		if (seen === 'all') continue;
		const reads =
			seen === 'none'
				? `SELECT * FROM main.${table} WHERE 0`
				: 'where' in seen
					? `SELECT * FROM main.${table} WHERE ${seen.where}`
					: 'ofPart' in seen
						? `SELECT * FROM main.${table} WHERE ${seen.ofPart} = '${text.replaceAll("'", "''")}'`
						: seen.instead;
		db.exec(`CREATE TEMP VIEW ${table} AS ${reads}`);
	}
	return { db, part: problems.length ? { site: [] } : part, version: -1, mark: '', filled: 0, looked: 0, took: 0 };
}

const MARK = `SELECT (SELECT number FROM main.directory_revision) || ' ' || (SELECT number FROM main.part_revision)`;

/** Fills the sets anew, where anything has been written since they were. */
function look(view: View, at: number, now: boolean): void {
	const { db, part } = view;
	const began = performance.now();
	const version = db.pragma('data_version', { simple: true }) as number;
	view.looked = began;
	if (version === view.version) return;
	const mark = db.prepare(MARK).pluck().get() as string;
	const age = began - view.filled;
	const byWork = part.team !== undefined || part.pool !== undefined || part.line !== undefined;
	if (!now && mark === view.mark && age < (byWork ? AT_WORK : ANYWAY)) return;
	// Reads the estate and writes what is this connection's alone: it keeps nobody from writing, and nobody keeps it.
	// eslint-disable-next-line no-restricted-syntax
	db.transaction(() => {
		for (const { set, from, facets } of MADE_OF) {
			db.exec(`DELETE FROM temp.within_${set}`);
			const alias = from.split(' ').at(-1)!;
			const terms = PART_FACETS.flatMap((facet) =>
				part[facet] ? [(facets[facet] ?? '0').replaceAll('$', `(SELECT value FROM json_each(@${facet}))`)] : []
			);
			const sql = `INSERT OR IGNORE INTO temp.within_${set} SELECT ${alias}.id FROM ${from} WHERE ${['1', ...terms].join(' AND ')}`;
			const given = Object.fromEntries(PART_FACETS.map((f) => [f, JSON.stringify(part[f] ?? [])]));
			const statement = db.prepare(sql);
			// Only what the statement names may be bound.
			statement.run(Object.fromEntries(Object.entries({ ...given, at }).filter(([name]) => sql.includes(`@${name}`))));
		}
	})();
	view.version = version;
	view.mark = mark;
	view.filled = began;
	view.took = performance.now() - began;
}
