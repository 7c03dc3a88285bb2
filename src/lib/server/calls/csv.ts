import Papa from 'papaparse';

/** Rows as CSV (RFC 4180), ready to be kept as a file. What a spreadsheet would take for a formula is written as text. */
export const csvAnswer = (name: string, fields: readonly string[], rows: readonly (readonly unknown[])[]): Response =>
	new Response(
		`${Papa.unparse({ fields: [...fields], data: rows.map((r) => r.map(cell)) }, { escapeFormulae: true, newline: '\r\n' })}\r\n`,
		{
			headers: {
				'content-type': 'text/csv; charset=utf-8',
				'content-disposition': `attachment; filename="${name}.csv"`
			}
		}
	);

/** What is no single value is written as JSON. */
const cell = (value: unknown): unknown => (typeof value === 'object' && value !== null ? JSON.stringify(value) : value);
