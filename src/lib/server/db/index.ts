import Database from 'better-sqlite3';
import { folded } from '$lib/core/text/nearest';
import { LRUCache } from 'lru-cache';

export type Db = Database.Database;

const FILES = import.meta.glob<string>('./migrations/*.sql', { query: '?raw', import: 'default', eager: true });

/** In the order of their numbers, in which they are applied; each is applied once, and never edited after it has shipped. */
const MIGRATIONS = Object.entries(FILES)
	.sort(([a], [b]) => (a < b ? -1 : 1))
	.map(([, sql]) => sql);

/**
 * Opens a database and brings it up to date. `:memory:` gives an empty one that is gone when closed.
 * Throws when the file was written by a newer Sextant.
 */
export function openDb(path: string): Db {
	const db = path === ':memory:' ? new Database((empty ??= made())) : new Database(path);
	db.pragma('journal_mode = WAL');
	db.pragma('synchronous = NORMAL');
	db.pragma('foreign_keys = ON');
	db.pragma('busy_timeout = 10000');
	db.pragma('cache_size = -65536');
	db.pragma('mmap_size = 268435456');
	db.function('folded', { deterministic: true }, (text: unknown) => (typeof text === 'string' ? folded(text) : text));
	migrate(db);
	// Marks of tables that this connection watches (`steady.ts`).
	db.exec('CREATE TEMP TABLE written(name TEXT PRIMARY KEY, mark TEXT NOT NULL) STRICT');
	return db;
}

/** An empty database in memory, as it is once all migrations have been through it: they take longer than most of what is done in one. */
let empty: Buffer | null = null;
function made(): Buffer {
	const db = new Database(':memory:');
	migrate(db);
	const bytes = db.serialize();
	db.close();
	return bytes;
}

function migrate(db: Db): void {
	const done = db.pragma('user_version', { simple: true }) as number;
	if (done > MIGRATIONS.length)
		throw new Error(`the data was written by a newer Sextant (schema ${done}, this one knows ${MIGRATIONS.length})`);
	if (done === MIGRATIONS.length) return;
	// What a migration takes out is not to be found in free pages either.
	db.pragma('secure_delete = ON');
	db.transaction(() => {
		for (const sql of MIGRATIONS.slice(done)) db.exec(sql);
		db.pragma(`user_version = ${MIGRATIONS.length}`);
	}).immediate();
	db.pragma('secure_delete = OFF');
	if (done > 0) db.pragma('wal_checkpoint(TRUNCATE)');
}

/** Statements that are kept for a database: what a scope makes of a query is soon forgotten again, what is asked each minute stays. */
const KEPT = 600;
const caches = [
	new WeakMap<Db, LRUCache<string, Database.Statement>>(),
	new WeakMap<Db, LRUCache<string, Database.Statement>>()
] as const;

/** A statement, prepared once per database: for what is run again and again in one go. */
export function statement(db: Db, sql: string, inColumns = false): Database.Statement {
	const kept = caches[inColumns ? 1 : 0];
	let cache = kept.get(db);
	if (!cache) kept.set(db, (cache = new LRUCache({ max: KEPT })));
	let s = cache.get(sql);
	if (!s) {
		s = db.prepare(sql);
		cache.set(sql, inColumns ? s.raw() : s);
	}
	return s;
}

type Params = Record<string, unknown> | unknown[];

/** All rows of a query; the statement is prepared once per database, as long as it is asked now and then. */
export const all = <T>(db: Db, sql: string, params: Params = []): T[] => statement(db, sql).all(params) as T[];

/** All rows of a query as lists of their columns, a third quicker than rows by name: for very long lists. */
export const allColumns = <T extends unknown[]>(db: Db, sql: string, params: Params = []): T[] =>
	statement(db, sql, true).all(params) as T[];

/** The first row, or undefined. */
export const one = <T>(db: Db, sql: string, params: Params = []): T | undefined =>
	statement(db, sql).get(params) as T | undefined;

/** Runs a statement that changes rows. */
export const run = (db: Db, sql: string, params: Params = []): Database.RunResult => statement(db, sql).run(params);

export const setting = (db: Db, key: string): string | null =>
	one<{ value: string }>(db, 'SELECT value FROM settings WHERE key = ?', [key])?.value ?? null;

export const putSetting = (db: Db, key: string, value: string): void => {
	run(db, 'INSERT INTO settings(key, value) VALUES (?, ?) ON CONFLICT(key) DO UPDATE SET value = excluded.value', [
		key,
		value
	]);
};
