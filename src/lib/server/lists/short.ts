import type * as v from 'valibot';
import { EVERYTHING, FACETS, narrow, type FacetsOf, type Scope, type Term } from '$lib/core/scope/scope';
import type { Db } from '../db';
import { listKind, type ListKind, type Page, type PageAsk, type RowSchema } from './kind';

type Row = Record<string, unknown>;

/** How a list is read that is short enough to be narrowed and sorted in memory. */
interface Short<S extends RowSchema> extends Pick<ListKind<S>, 'name' | 'words' | 'card' | 'row' | 'need'> {
	/**
	 * Rows at a moment, in the usual order. Where a scope reaches them through what they belong to, they come narrowed, with the terms
	 * that say nothing of them; otherwise they are narrowed by the columns that are facets.
	 */
	rows(db: Db, at: number, scope: Scope): v.InferOutput<S>[] | { items: v.InferOutput<S>[]; left: Term[] };
	idOf?: ListKind<S>['idOf'];
	called?: ListKind<S>['called'];
	why?: ListKind<S>['why'];
}

/** A list that is short enough to be narrowed, sorted and cut in memory. */
export const shortList = <S extends RowSchema>({ rows, ...kind }: Short<S>): ListKind<S> =>
	listKind<S>({
		...kind,
		sorts: Object.keys(kind.row.entries),
		page(db, ask) {
			const read = rows(db, ask.at, ask.scope);
			const page = Array.isArray(read)
				? cut(kind.row, read as Row[], ask)
				: { ...cut(kind.row, read.items as Row[], { ...ask, scope: EVERYTHING }), left: read.left };
			return page as Page<v.InferOutput<S>>;
		}
	});

/** Narrows rows by the facets that they have a column for, sorts, and cuts a page out. */
function cut(schema: RowSchema, rows: Row[], ask: PageAsk): Page<Row> {
	const facets: FacetsOf<Row> = Object.fromEntries(
		Object.keys(FACETS)
			.filter((facet) => Object.hasOwn(schema.entries, facet))
			.map((facet) => [facet, (row: Row) => (row[facet] === null ? [] : String(row[facet]))])
	);
	const { items, left } = narrow(ask.scope, rows, facets, wordsIn);
	if (ask.sort) {
		const key = ask.sort;
		items.sort((a, b) => (compare(a[key], b[key]) || 0) * (ask.descending ? -1 : 1));
	}
	return { rows: items.slice(ask.offset, ask.offset + ask.limit), total: items.length, left };
}

/** What a text is looked for in: the values of a row, not the names of its columns. */
const wordsIn = (row: Row): string =>
	Object.values(row)
		.map((v) => (typeof v === 'object' ? JSON.stringify(v) : String(v)))
		.join(' ');

const compare = (a: unknown, b: unknown) =>
	typeof a === 'number' && typeof b === 'number' ? a - b : String(a).localeCompare(String(b), 'en');
