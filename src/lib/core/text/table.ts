import Papa from 'papaparse';

/** One row of a table, and the line that it begins at, from 1. `problem`: what the reader of CSV found wrong with it. */
export interface TableRow {
	fields: string[];
	line: number;
	problem: string | null;
}

/**
 * The rows of a table in CSV (RFC 4180; also with semicolons or tabs), one after another, empty ones left out.
 * @param take is given each row; false ends it
 */
export function eachRow(text: string, take: (row: TableRow) => boolean | void): void {
	const body = text.startsWith('\uFEFF') ? text.slice(1) : text;
	let line = 1;
	let at = 0;
	Papa.parse<string[]>(body, {
		// Else an empty line at the end makes it guess that two columns are one.
		skipEmptyLines: true,
		step: ({ data, meta, errors }, parser) => {
			const here = line;
			for (let i = body.indexOf('\n', at); i >= 0 && i < meta.cursor; i = body.indexOf('\n', i + 1)) line++;
			at = meta.cursor;
			if (data.every((x) => x.trim() === '')) return;
			if (take({ fields: data, line: here, problem: errors[0]?.message ?? null }) === false) parser.abort();
		}
	});
}
