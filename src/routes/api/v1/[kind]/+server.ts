import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { KINDS, type Kind } from '$lib/server/api/kinds';
import { cursorOf, listOf, readCursor } from '$lib/server/api/lists';
import { termWords } from '$lib/core/scope/scope';
import { FOREVER } from '$lib/core/time/units';
import { askedOf } from '$lib/server/api/asked';
import { asKnown } from '$lib/server/moment';
import { NotFound } from '$lib/server/plans';
import { InputProblem } from '$lib/server/plans/kind';
import { runtime } from '$lib/server/runtime';

export const GET = ({ params, url }) =>
	answer(() => {
		const { db } = runtime();
		if (!(KINDS as readonly string[]).includes(params.kind))
			throw new NotFound(`list called ${params.kind}; there are ${KINDS.join(', ')}`);
		const look = askedOf(url, runtime());
		const limit = Number(url.searchParams.get('limit') ?? 100);
		if (!Number.isInteger(limit) || limit < 1 || limit > 1000)
			throw new InputProblem([{ field: 'limit', words: 'A limit is a whole number from 1 to 1000.' }]);
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
		const { rows, total, left } = listOf(db, params.kind as Kind, {
			at: cursor.at,
			scope: look.scope,
			sort: descending ? sort.slice(1) : sort,
			descending,
			limit,
			offset: cursor.offset
		});
		const next = cursor.offset + rows.length;
		return json({
			rows,
			total,
			at: cursor.at,
			cursor: next < total ? cursorOf(next, cursor.at) : null,
			leftOut: left.map((t) => termWords(t))
		});
	});
