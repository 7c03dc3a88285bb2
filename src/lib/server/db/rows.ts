import { run, type Db } from './index';

export type Value = string | number | bigint | Buffer | null;
/** Values by the columns that they are for. */
export type Row = Record<string, Value>;

/**
 * Writes a row, its columns named: a column that is added to a table later, or another order of them, changes nothing here. Columns left
 * out are their default. Returns the number of the row, or null where there is one with that key already that was to be kept.
 * @param ifThere what happens where there is a row with that key
 */
export function insertRow(db: Db, table: string, row: Row, ifThere: IfThere = 'fail'): number | null {
	const columns = Object.keys(row);
	const { changes, lastInsertRowid } = run(db, sqlFor(table, columns, ifThere), Object.values(row));
	return changes === 0 ? null : Number(lastInsertRowid);
}

export type IfThere = 'fail' | 'keep' | 'replace';

/** Rows are written by the million: what is said for some columns of a table is put together once. */
const said = new Map<string, string>();

function sqlFor(table: string, columns: string[], ifThere: IfThere): string {
	const names = columns.join(', ');
	const key = `${ifThere} ${table}(${names})`;
	let sql = said.get(key);
	if (sql === undefined) {
		const marks = columns.map(() => '?').join(', ');
		sql = `INSERT ${ifThere === 'replace' ? 'OR REPLACE ' : ''}INTO ${table}(${names}) VALUES (${marks})${ifThere === 'keep' ? ' ON CONFLICT DO NOTHING' : ''}`;
		said.set(key, sql);
	}
	return sql;
}
