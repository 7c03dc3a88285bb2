import { FOREVER } from '$lib/core/time/units';
import { all, one, statement, type Db } from './index';
import { INTERVALS } from './intervals';

/** What was worked out, with the marks of its tables then, and from when until when it holds. */
interface Kept<T> {
	marks: string;
	from: number;
	until: number;
	value: T;
}

/**
 * Whatever is written to a table gives it a new mark, by triggers of this connection alone. Marks are never given twice, and one that was
 * given in a transaction goes with it: what was worked out from what was rolled back is not taken for what stands.
 */
function watch(db: Db, table: string): void {
	// A part of it may become another without a row being written.
	if (one(db, `SELECT 1 FROM temp.sqlite_master WHERE type = 'view' AND name = ?`, [table]))
		throw new Error(`this connection sees a part of ${table} alone`);
	for (const does of ['INSERT', 'UPDATE', 'DELETE'])
		db.exec(
			`CREATE TEMP TRIGGER written_${table}_${does} AFTER ${does} ON main.${table} BEGIN
				UPDATE written SET mark = hex(randomblob(8)) WHERE name = '${table}'; END`
		);
	statement(db, 'INSERT INTO temp.written(name, mark) VALUES (?, hex(randomblob(8)))').run(table);
}

/** Moments at which anything of a table that is not one of `INTERVALS` becomes another: its columns that hold them. */
type Moments = Record<string, readonly string[]>;

/** The next moment after `at` at which time alone makes the rows of some tables count otherwise; FOREVER: none. */
function nextMoment(db: Db, tables: readonly string[], moments: Moments, at: number): number {
	const columns = tables.flatMap((t) =>
		(moments[t] ?? (Object.hasOwn(INTERVALS, t) ? ['since', 'until'] : [])).map((c) => [t, c] as const)
	);
	if (columns.length === 0) return FOREVER;
	const each = columns.map(([t, c]) => `SELECT min(${c}) AS moment FROM ${t} WHERE ${c} > @at`).join(' UNION ALL ');
	return one<{ moment: number | null }>(db, `SELECT min(moment) AS moment FROM (${each})`, { at })!.moment ?? FOREVER;
}

/**
 * What `work` makes of tables that are seldom written, for what asks every minute: worked out again when one of them was written to, by
 * whomever, or when an interval of theirs has begun or ended since. All get the same, which nobody may change. Throws where a
 * connection sees but a part of the estate.
 * @param moments columns of points in time, of tables that are not among `INTERVALS`
 */
export function steady<T>(
	tables: readonly string[],
	work: (db: Db, at: number) => T,
	moments: Moments = {}
): (db: Db, at: number) => T {
	const known = new WeakMap<Db, Kept<T>>();
	const asked = `SELECT mark FROM temp.written WHERE name IN (${tables.map((t) => `'${t}'`).join(', ')}) ORDER BY name`;
	const marksOf = (db: Db): string => {
		// Somebody else has written something: which tables, nobody knows.
		const { data_version } = one<{ data_version: number }>(db, 'PRAGMA data_version')!;
		const watched = all<{ mark: string }>(db, asked);
		if (watched.length === tables.length) return [data_version, ...watched.map((w) => w.mark)].join(' ');
		const there = new Set(all<{ name: string }>(db, 'SELECT name FROM temp.written').map((w) => w.name));
		for (const t of tables) if (!there.has(t)) watch(db, t);
		return marksOf(db);
	};
	return (db, at) => {
		const marks = marksOf(db);
		const kept = known.get(db);
		if (kept?.marks === marks && kept.from <= at && at < kept.until) return kept.value;
		const value = work(db, at);
		known.set(db, { marks, from: at, until: nextMoment(db, tables, moments, at), value });
		return value;
	};
}
