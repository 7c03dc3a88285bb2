import { run, type Db } from './index';

export type Value = string | number | bigint | Buffer | null;
/** Values by the columns that they are for. */
export type Row = Record<string, Value>;

const OR = { fail: '', keep: '', replace: 'OR REPLACE ' };

/**
 * Writes a row, its columns named: a column that is added to a table later, or another order of them, changes nothing here. Columns left
 * out are their default. Returns the number of the row, or null where there is one with that key already that was to be kept.
 * @param ifThere what happens where there is a row with that key
 */
export function insertRow(
	db: Db,
	table: string,
	row: Row,
	ifThere: 'fail' | 'keep' | 'replace' = 'fail'
): number | null {
	const columns = Object.keys(row);
	const { changes, lastInsertRowid } = run(
		db,
		`INSERT ${OR[ifThere]}INTO ${table}(${columns.join(', ')}) VALUES (${columns.map((c) => `@${c}`).join(', ')})${ifThere === 'keep' ? ' ON CONFLICT DO NOTHING' : ''}`,
		row
	);
	return changes === 0 ? null : Number(lastInsertRowid);
}
