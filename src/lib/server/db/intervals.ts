import { FOREVER } from '$lib/core/time/units';
import { one, run, type Db } from './index';

/**
 * Tables of intervals, declared once. A row counts from `since` until just before `until`, ms UTC; what has not ended ends at FOREVER. Of
 * one key at most one row is in force at a moment. `within`: a row counts no longer than the one of that table which its first column of the
 * key names. Verifying derives from this, and whatever is opened, closed or changed at a moment goes through the functions below.
 */
export const INTERVALS = {
	machines: { key: ['id'], within: null },
	machine_states: { key: ['machine_id'], within: 'machines' },
	machine_places: { key: ['machine_id'], within: 'machines' },
	sessions: { key: ['id'], within: null },
	session_states: { key: ['session_id'], within: 'sessions' },
	app_runs: { key: ['id'], within: null },
	waits: { key: ['person_id', 'publication_id'], within: null },
	failing_checks: { key: ['machine_id', 'name'], within: 'machines' },
	findings: { key: ['id'], within: null },
	gateway_ports: { key: ['gateway_id', 'protocol'], within: null },
	pools: { key: ['id'], within: null },
	publications: { key: ['id'], within: null },
	grants: { key: ['id'], within: null },
	fetched: { key: ['person_id', 'publication_id'], within: null },
	sheets: { key: ['line_id'], within: null },
	openings: { key: ['line_id'], within: null },
	version_holds: { key: ['line_id', 'number'], within: null },
	version_retired: { key: ['line_id', 'number'], within: null },
	follow_rules: { key: ['subject'], within: null },
	schedules: { key: ['id'], within: null },
	site_versions: { key: ['site_id', 'line_id', 'number'], within: null },
	site_providers: { key: ['site_id'], within: null },
	site_checks: { key: ['site_id', 'name'], within: null },
	joinings: { key: ['id'], within: null },
	captures: { key: ['id'], within: null },
	deliveries: { key: ['pool_id', 'package'], within: null },
	attachments: { key: ['machine_id', 'package', 'version'], within: 'machines' },
	attach_failures: { key: ['machine_id', 'package', 'version'], within: 'machines' },
	warm_ups: { key: ['name', 'number'], within: null },
	package_clashes: { key: ['a', 'b'], within: null },
	package_positions: { key: ['name'], within: null }
} as const satisfies Record<string, { key: readonly string[]; within: string | null }>;

export type IntervalTable = keyof typeof INTERVALS;

type KeyOf<T extends IntervalTable> = Record<(typeof INTERVALS)[T]['key'][number], string | number>;
type Values = Record<string, string | number | null>;

const where = (table: IntervalTable): string =>
	INTERVALS[table].key.map((column) => `${column} = @${column}`).join(' AND ');
const keyIn = (table: IntervalTable, row: Values): Values =>
	Object.fromEntries(INTERVALS[table].key.map((column) => [column, row[column]!]));

/** Ends what is in force of a key. What began at that moment or later never was. */
export function closeAt<T extends IntervalTable>(db: Db, table: T, key: KeyOf<T>, at: number): void {
	const bound = { ...keyIn(table, key), at };
	run(db, `DELETE FROM ${table} WHERE ${where(table)} AND since >= @at`, bound);
	run(db, `UPDATE ${table} SET until = @at WHERE ${where(table)} AND until > @at`, bound);
}

/** Puts a row in force from a moment on, in the place of what is in force of its key. Columns are named; what is left out is its default. */
export function putAt<T extends IntervalTable>(db: Db, table: T, row: KeyOf<T> & Values, at: number): void {
	closeAt(db, table, row, at);
	const whole: Values = { ...row, since: at, until: FOREVER };
	const columns = Object.keys(whole);
	run(db, `INSERT INTO ${table}(${columns.join(', ')}) VALUES (${columns.map((c) => `@${c}`).join(', ')})`, whole);
}

/** Changes some columns of what is in force of a key, from a moment on. Answers whether anything was. */
export function changeAt<T extends IntervalTable>(
	db: Db,
	table: T,
	key: KeyOf<T>,
	values: Values,
	at: number
): boolean {
	const row = one<KeyOf<T> & Values>(
		db,
		`SELECT * FROM ${table} WHERE ${where(table)} AND until = ${FOREVER}`,
		keyIn(table, key)
	);
	if (!row) return false;
	putAt(db, table, { ...row, ...values }, at);
	return true;
}
