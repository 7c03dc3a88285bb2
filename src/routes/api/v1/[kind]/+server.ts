import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { csvAnswer } from '$lib/server/api/csv';
import { cursorOf, LISTS, readCursor } from '$lib/server/house/lists';
import { termWords } from '$lib/core/scope/scope';
import { FOREVER } from '$lib/core/time/units';
import { askedOf } from '$lib/server/api/asked';
import { asKnown } from '$lib/server/moment';
import { NotFound } from '$lib/server/plans';
import { InputProblem } from '$lib/server/plans/kind';
import { runtime } from '$lib/server/runtime';

/** Rows that one page holds at most, and that one CSV does. */
const PAGE = 1000;
const WHOLE = 50_000;

export const GET = ({ params, url }) =>
	answer(() => {
		const { db } = runtime();
		const kind = LISTS.get(params.kind);
		if (!kind) throw new NotFound(`list called ${params.kind}; there are ${[...LISTS.keys()].join(', ')}`);
		const look = askedOf(url, runtime());
		const csv = url.searchParams.get('format') === 'csv';
		const most = csv ? WHOLE : PAGE;
		const limit = Number(url.searchParams.get('limit') ?? (csv ? WHOLE : 100));
		if (!Number.isInteger(limit) || limit < 1 || limit > most)
			throw new InputProblem([{ field: 'limit', words: `A limit is a whole number from 1 to ${most}.` }]);
		const cursorText = url.searchParams.get('cursor');
		const cursor =
			cursorText === null
				? { offset: Number(url.searchParams.get('offset') ?? 0), at: asKnown(look) }
				: readCursor(cursorText);
		if (
			!cursor ||
			!Number.isSafeInteger(cursor.offset) ||
			cursor.offset < 0 ||
			!Number.isSafeInteger(cursor.at) ||
			cursor.at < 0 ||
			cursor.at > FOREVER
		)
			throw new InputProblem([{ field: 'cursor', words: 'This is not a cursor that a page gave.' }]);
		const sort = url.searchParams.get('sort') ?? '';
		const descending = sort.startsWith('-');
		const { rows, total, left } = kind.page(db, {
			at: cursor.at,
			scope: look.scope,
			sort: descending ? sort.slice(1) : sort,
			descending,
			limit,
			offset: cursor.offset
		});
		if (csv) {
			const columns = Object.keys(kind.row.entries);
			return csvAnswer(
				kind.name,
				columns,
				rows.map((r) => columns.map((c) => r[c]))
			);
		}
		const next = cursor.offset + rows.length;
		return json({
			rows,
			total,
			at: cursor.at,
			cursor: next < total ? cursorOf(next, cursor.at) : null,
			leftOut: left.map((t) => termWords(t))
		});
	});
