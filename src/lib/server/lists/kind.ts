import * as v from 'valibot';
import type { Scope, Term } from '$lib/core/scope/scope';
import type { Fact } from '$lib/core/why/explained';
import type { Area, Level } from '$lib/core/access/rights';
import type { Db } from '../db';
import { InputProblem } from '../plans/kind';

/** Which page of a list, as it was at which moment, ms UTC. */
export interface PageAsk {
	at: number;
	scope: Scope;
	/** A column; empty: the usual order. */
	sort: string;
	descending: boolean;
	limit: number;
	offset: number;
}

/** A list under scope at a moment, ready to be shown row by row. */
export interface Page<T> {
	rows: T[];
	total: number;
	/** Terms of the scope that mean nothing for this list. */
	left: Term[];
}

/** What a row is made of: columns by name, each with what it holds. */
export type RowSchema = v.StrictObjectSchema<v.ObjectEntries, undefined>;

/** A kind of list: the API's list with the schema of its answer, its CSV, and what its rows can be asked, follow from it. */
export interface ListKind<S extends RowSchema = RowSchema> {
	/** In addresses: `image-lines`. */
	name: string;
	/** What its rows are, in words. */
	words: string;
	/** What the cards of its rows are of; null where they have none, and `why` tells instead. */
	card: string | null;
	row: S;
	/** What whoever asks needs, where it is more than to see the estate. */
	need?: { area: Area; level: Level };
	/** Columns that it can be sorted by. */
	sorts: readonly string[];
	page(db: Db, ask: PageAsk): Page<v.InferOutput<S>>;
	/** What a row is called in addresses. */
	idOf(row: v.InferOutput<S>): string;
	/** What a row is called where somebody searches for it; absent: its rows are not searched. */
	called?(row: v.InferOutput<S>): string;
	/** Why a row is as it is. */
	why?(db: Db, row: v.InferOutput<S>, at: number): Fact[];
}

/** Keeps the rows tied to their schema; other columns to sort by are refused beside `sort`. */
export function listKind<S extends RowSchema>(
	kind: Omit<ListKind<S>, 'idOf'> & Partial<Pick<ListKind<S>, 'idOf'>>
): ListKind<S> {
	return {
		idOf: (row) => String((row as { id?: unknown }).id),
		...kind,
		page(db, ask) {
			if (ask.sort && !kind.sorts.includes(ask.sort))
				throw new InputProblem([
					{ field: 'sort', words: `There is no column ${ask.sort} to sort by; there are ${kind.sorts.join(', ')}.` }
				]);
			return kind.page(db, ask);
		}
	};
}
