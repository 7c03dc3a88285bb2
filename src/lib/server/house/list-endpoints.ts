import * as v from 'valibot';
import { EVERYTHING, termWords } from '$lib/core/scope/scope';
import { FOREVER } from '$lib/core/time/units';
import { card, rowsOf } from '../calls/answers';
import { csvAnswer } from '../calls/csv';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { fact, moment, text, whole } from '../lists/columns';
import type { ListKind } from '../lists/kind';
import { asKnown } from '../moment';
import { NotFound } from '../plans';
import { InputProblem } from '../plans/kind';
import { cardOf } from './cards';
import { cursorOf, LISTS, readCursor } from './lists';
import { searchFor } from './search';

/** Rows that one page holds at most, and that one CSV does. */
const PAGE = 1000;
const WHOLE = 50_000;

/** Where a page begins: at the cursor of the one before, or so many rows in. */
function beginOf(cursor: string | undefined, offset: number, at: number): { offset: number; at: number } {
	const begin = cursor === undefined ? { offset, at } : readCursor(cursor);
	if (
		!begin ||
		!Number.isSafeInteger(begin.offset) ||
		begin.offset < 0 ||
		!Number.isSafeInteger(begin.at) ||
		begin.at < 0 ||
		begin.at > FOREVER
	)
		throw new InputProblem([{ field: 'cursor', words: 'This is not a cursor that a page gave.' }]);
	return begin;
}

const SORT = v.optional(v.pipe(v.string(), v.description('A column; with a minus in front, descending')), '');
const limitOf = (most: number, usual: number) =>
	v.optional(
		v.pipe(
			v.number(`A limit is a whole number from 1 to ${most}.`),
			v.integer(`A limit is a whole number from 1 to ${most}.`),
			v.minValue(1, `A limit is a whole number from 1 to ${most}.`),
			v.maxValue(most, `A limit is a whole number from 1 to ${most}.`),
			v.description(`Rows, at most ${most}`)
		),
		usual
	);

/** A column to sort by as it is written: with a minus in front, descending. */
const sortOf = (text: string) => ({
	sort: text.startsWith('-') ? text.slice(1) : text,
	descending: text.startsWith('-')
});

const pageOf = (kind: ListKind): Endpoint =>
	endpoint({
		method: 'GET',
		path: `/${kind.name}`,
		summary: `${kind.words}; under a scope, at a moment`,
		need: kind.need ?? read('estate'),
		looks: 'scope and moment',
		query: {
			sort: SORT,
			limit: limitOf(PAGE, 100),
			cursor: v.optional(v.pipe(v.string(), v.description('The cursor of the page before'))),
			offset: v.optional(v.pipe(v.number(), v.description('Rows before the first one')), 0)
		},
		answer: v.strictObject({
			rows: v.array(kind.row),
			total: whole,
			at: moment,
			cursor: v.nullable(text),
			leftOut: v.pipe(v.array(text), v.description('Parts of the scope that say nothing of these'))
		}),
		handle({ ctx, query, look }) {
			const looked = look();
			const { scope } = looked;
			const begin = beginOf(query.cursor, query.offset, asKnown(looked));
			const { rows, total, left } = kind.page(ctx.db, { ...begin, scope, ...sortOf(query.sort), limit: query.limit });
			const next = begin.offset + rows.length;
			return {
				rows,
				total,
				at: begin.at,
				cursor: next < total ? cursorOf(next, begin.at) : null,
				leftOut: left.map((t) => termWords(t))
			};
		}
	});

const csvOf = (kind: ListKind): Endpoint =>
	endpoint({
		method: 'GET',
		path: `/${kind.name}.csv`,
		summary: `${kind.words}; as CSV (RFC 4180)`,
		need: kind.need ?? read('estate'),
		looks: 'scope and moment',
		// A whole list of a large estate takes its time: nobody else waits for it.
		work: 'long',
		query: { sort: SORT, limit: limitOf(WHOLE, WHOLE) },
		answer: { file: 'text/csv' },
		handle({ ctx, query, look }) {
			const looked = look();
			const ask = { at: asKnown(looked), scope: looked.scope, ...sortOf(query.sort), limit: query.limit, offset: 0 };
			const columns = Object.keys(kind.row.entries);
			return csvAnswer(
				kind.name,
				columns,
				kind.page(ctx.db, ask).rows.map((r) => columns.map((c) => r[c]))
			);
		}
	});

const oneOf = (kind: ListKind): Endpoint => {
	const of = kind.card ?? kind.name.slice(0, -1);
	const common = {
		method: 'GET' as const,
		path: `/${kind.name}/{id}`,
		rest: true,
		summary: kind.card ? `The card of a ${of}, at a moment` : `One of them, with its reasons, at a moment`,
		need: kind.need ?? read('estate'),
		looks: 'moment' as const,
		params: { id: text }
	};
	const { card: cardKind } = kind;
	if (cardKind)
		return endpoint({
			...common,
			answer: card,
			async handle({ ctx, params, look }) {
				const looked = look();
				const at = asKnown(looked);
				const found = await cardOf(ctx, cardKind, params.id, { at, live: looked.live });
				if (!found) throw new NotFound(`${of} called ${params.id}`);
				return { at, ...found };
			}
		});
	return endpoint({
		...common,
		// Some lists have a column called `at` themselves.
		answer: v.strictObject({ at: moment, facts: v.array(fact), ...kind.row.entries }),
		handle({ ctx, params, look }) {
			const at = asKnown(look());
			const whole = { at, scope: EVERYTHING, sort: '', descending: false, limit: Number.MAX_SAFE_INTEGER, offset: 0 };
			const row = kind.page(ctx.db, whole).rows.find((r) => kind.idOf(r) === params.id);
			if (!row) throw new NotFound(`${of} called ${params.id}`);
			return { at, facts: kind.why?.(ctx.db, row, at) ?? [], ...row };
		}
	});
};

const search = endpoint({
	method: 'GET',
	path: '/search',
	summary: 'Things that are called so, or say so, at a moment: the first of each kind',
	need: read('estate'),
	looks: 'moment',
	query: {
		q: v.pipe(
			v.string('Say what to search for.'),
			v.trim(),
			v.nonEmpty('Say what to search for.'),
			v.maxLength(200, 'At most 200 characters.'),
			v.description('A text')
		)
	},
	answer: rowsOf(v.strictObject({ kind: text, id: text, name: text })),
	handle: ({ ctx, query, look }) => ({ rows: searchFor(ctx.db, query.q, asKnown(look())) })
});

/** The list of each kind, as CSV too, one of it, and search through those whose rows have a name. */
export const listEndpoints: readonly Endpoint[] = [
	search,
	...[...LISTS.values()].flatMap((k) => [pageOf(k), csvOf(k), oneOf(k)])
];
