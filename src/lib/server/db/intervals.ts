import { FOREVER } from '$lib/core/time/units';
import { one, run, type Db } from './index';
import { insertRow, type Row } from './rows';

/**
 * Tables of intervals, declared once. A row counts from `since` until just before `until`, ms UTC; what has not ended ends at FOREVER. Of
 * one key at most one row is in force at a moment.
 *
 * `within`: a row counts no longer than the one of that table which its first column of the key names. `happened`: a row is something that
 * took place, and stays on record however short it was, for a millisecond at least; in the other tables a row says what holds, and one that
 * ends at the moment at which it began never was.
 *
 * Verifying derives from this, and what is opened, closed, changed or read at a moment goes through the functions below.
 */
export const INTERVALS = {
	machines: { key: ['id'], within: null, happened: true },
	machine_states: { key: ['machine_id'], within: 'machines', happened: false },
	machine_spots: { key: ['machine_id'], within: 'machines', happened: false },
	sessions: { key: ['id'], within: null, happened: true },
	session_states: { key: ['session_id'], within: 'sessions', happened: false },
	app_runs: { key: ['id'], within: null, happened: true },
	waits: { key: ['person_id', 'publication_id'], within: null, happened: true },
	failing_checks: { key: ['machine_id', 'name'], within: 'machines', happened: false },
	findings: { key: ['id'], within: null, happened: true },
	gateway_ports: { key: ['gateway_id', 'protocol'], within: null, happened: false },
	gateway_relays: { key: ['gateway_id'], within: null, happened: false },
	pools: { key: ['id'], within: null, happened: false },
	publications: { key: ['id'], within: null, happened: false },
	grants: { key: ['id'], within: null, happened: false },
	fetched: { key: ['person_id', 'publication_id'], within: null, happened: false },
	sheets: { key: ['line_id'], within: null, happened: false },
	openings: { key: ['line_id'], within: null, happened: true },
	version_holds: { key: ['line_id', 'number'], within: null, happened: false },
	version_retired: { key: ['line_id', 'number'], within: null, happened: false },
	follow_rules: { key: ['subject'], within: null, happened: false },
	schedules: { key: ['id'], within: null, happened: true },
	site_versions: { key: ['site_id', 'line_id', 'number'], within: null, happened: false },
	site_providers: { key: ['site_id'], within: null, happened: false },
	site_checks: { key: ['site_id', 'name'], within: null, happened: false },
	joinings: { key: ['id'], within: null, happened: true },
	captures: { key: ['id'], within: null, happened: true },
	deliveries: { key: ['pool_id', 'package'], within: null, happened: false },
	attachments: { key: ['machine_id', 'package', 'version'], within: 'machines', happened: false },
	attach_failures: { key: ['machine_id', 'package', 'version'], within: 'machines', happened: false },
	warm_ups: { key: ['name', 'number'], within: null, happened: false },
	package_clashes: { key: ['a', 'b'], within: null, happened: false },
	package_positions: { key: ['name'], within: null, happened: false },
	notes: { key: ['id'], within: null, happened: false },
	person_facts: { key: ['person_id'], within: null, happened: false },
	memberships: { key: ['person_id', 'team_id'], within: null, happened: false },
	coming_moves: { key: ['person_id', 'day'], within: null, happened: false },
	left_out: { key: ['login'], within: null, happened: false },
	handovers: { key: ['person_id'], within: null, happened: false },
	kept_pools: { key: ['pool_id'], within: null, happened: false },
	endpoint_facts: { key: ['endpoint_id'], within: null, happened: false },
	endpoint_states: { key: ['endpoint_id'], within: null, happened: false },
	endpoint_spots: { key: ['endpoint_id'], within: null, happened: false },
	endpoint_certificates: { key: ['endpoint_id'], within: null, happened: false },
	person_endpoints: { key: ['person_id'], within: null, happened: false },
	firmware_wishes: { key: ['branch_id', 'model'], within: null, happened: false },
	kept_endpoints: { key: ['endpoint_id'], within: null, happened: false },
	announced_endpoints: { key: ['serial'], within: null, happened: false },
	endpoint_admissions: { key: ['site'], within: null, happened: false },
	branches: { key: ['id'], within: null, happened: false },
	enrolment_rules: { key: ['id'], within: null, happened: false },
	settings_groups: { key: ['id'], within: null, happened: false },
	team_nesting: { key: ['team_id', 'above_id'], within: null, happened: false },
	held_changes: { key: ['id'], within: null, happened: false },
	site_categories: { key: ['id'], within: null, happened: false },
	categorised_sites: { key: ['name'], within: null, happened: false },
	private_services: { key: ['id'], within: null, happened: false },
	inner_gateways: { key: ['id'], within: null, happened: false },
	inner_gateway_states: { key: ['gateway_id'], within: 'inner_gateways', happened: false },
	site_holidays: { key: ['site_id'], within: null, happened: false },
	relied_services: { key: ['publication_id'], within: null, happened: false },
	private_service_states: { key: ['service_id'], within: 'private_services', happened: false },
	access_rules: { key: ['id'], within: null, happened: false },
	assignments: { key: ['id'], within: null, happened: false },
	made_roles: { key: ['id'], within: null, happened: false },
	reports: { key: ['id'], within: null, happened: false },
	access_rulebook: { key: ['id'], within: null, happened: false }
} as const satisfies Record<string, { key: readonly string[]; within: string | null; happened: boolean }>;

export type IntervalTable = keyof typeof INTERVALS;

/** A table, and what it is called in a statement where that is something else. */
type Rows = IntervalTable | `${IntervalTable} ${string}`;

/**
 * What of a table is in force at a moment, as a condition of SQL, such as `asOf('pools p')`.
 * @param at the parameter that holds the moment, ms UTC
 */
export const asOf = (rows: Rows, at = '@at'): string => inForce(rows, at, '');

/** The same where few rows go on at any moment: they are found by when they end. */
export const asOfByEnd = (rows: Rows, at = '@at'): string => inForce(rows, at, '+');

/** With a plus before it, a column is kept from the choice of an index. */
function inForce(rows: Rows, at: string, kept: '' | '+'): string {
	const [, alias] = rows.split(' ');
	const of = alias === undefined ? '' : `${alias}.`;
	return `${kept}${of}since <= ${at} AND ${of}until > ${at}`;
}

type KeyOf<T extends IntervalTable> = Record<(typeof INTERVALS)[T]['key'][number], string | number>;

const keyOf = (table: IntervalTable, row: Row): Row =>
	Object.fromEntries(INTERVALS[table].key.map((column) => [column, row[column]!]));

/** Intervals end by the million: what is said for some columns of a table is put together once. */
const said = new Map<string, { never: string | null; end: string }>();

function closing(table: IntervalTable, columns: string[], last: string[]): { never: string | null; end: string } {
	const key = `${table} ${columns.join()} ${last.join()}`;
	let sql = said.get(key);
	if (!sql) {
		const { happened } = INTERVALS[table];
		const these = columns.map((c) => `${c} = ?`).join(' AND ');
		const set = [happened ? 'until = max(?, since + 1)' : 'until = ?', ...last.map((c) => `${c} = ?`)].join(', ');
		sql = {
			never: happened ? null : `DELETE FROM ${table} WHERE ${these} AND since >= ?`,
			end: `UPDATE ${table} SET ${set} WHERE ${these} AND until ${happened ? `= ${FOREVER}` : '> ?'}`
		};
		said.set(key, sql);
	}
	return sql;
}

/**
 * Ends what is in force of a key, and sets some of its columns as it ends. Where rows say what holds, those that began at that moment or
 * later never were.
 */
export function closeAt<T extends IntervalTable>(db: Db, table: T, key: KeyOf<T>, at: number, last: Row = {}): void {
	closeAllAt(db, table, keyOf(table, key), at, last);
}

/** Ends whatever is in force with these values, as `closeAt` does. Returns how many there were. */
export function closeAllAt(db: Db, table: IntervalTable, having: Row, at: number, last: Row = {}): number {
	const { never, end } = closing(table, Object.keys(having), Object.keys(last));
	const these = Object.values(having);
	const values = [at, ...Object.values(last), ...these];
	if (never === null) return run(db, end, values).changes;
	return run(db, never, [...these, at]).changes + run(db, end, [...values, at]).changes;
}

/**
 * Puts a row in force from a moment on, where nothing is in force of its key. Columns are named; what is left out is its default. Returns
 * its number; null where there is such a row already that was to be kept: what is told twice happened once.
 */
export const openAt = (
	db: Db,
	table: IntervalTable,
	row: Row,
	at: number,
	ifThere: 'fail' | 'keep' = 'fail'
): number | null => insertRow(db, table, { ...row, since: at, until: FOREVER }, ifThere);

/** Puts a row in force from a moment on, in the place of what is in force of its key. */
export function putAt<T extends IntervalTable>(db: Db, table: T, row: KeyOf<T> & Row, at: number): void {
	closeAt(db, table, row, at);
	openAt(db, table, row, at);
}

const isKey = (table: IntervalTable): string => INTERVALS[table].key.map((c) => `${c} = @${c}`).join(' AND ');

/** Changes some columns of what is in force of a key, from a moment on. Answers whether anything was. */
export function changeAt<T extends IntervalTable>(db: Db, table: T, key: KeyOf<T>, values: Row, at: number): boolean {
	const row = one<KeyOf<T> & Row>(
		db,
		`SELECT * FROM ${table} WHERE ${isKey(table)} AND until = ${FOREVER}`,
		keyOf(table, key)
	);
	if (!row) return false;
	putAt(db, table, { ...row, ...values }, at);
	return true;
}

/** What was in force of a key at a moment, whole. */
export const rowAt = <T extends IntervalTable>(db: Db, table: T, key: KeyOf<T>, at: number): Row | undefined =>
	one<Row>(db, `SELECT * FROM ${table} WHERE ${isKey(table)} AND ${asOf(table)}`, {
		...keyOf(table, key),
		at
	});

/** Tables whose rows end with the machine that they are of. */
export const WITHIN_MACHINES = (Object.keys(INTERVALS) as IntervalTable[]).filter(
	(table) => INTERVALS[table].within === 'machines'
);

/** How often, when last, and of how much anything has been written of some tables: another text whenever one of them has changed. */
export const writtenOf = (db: Db, tables: readonly (keyof typeof INTERVALS)[]): string =>
	JSON.stringify(
		tables.map((table) =>
			one(db, `SELECT count(*) AS rows, max(since) AS last, sum(until = ${FOREVER}) AS open FROM ${table}`)
		)
	);
