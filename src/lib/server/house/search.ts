import type { Db } from '../db';
import { LISTS } from './lists';

/** Something that was found by a text, as the menu offers it: the card to open. */
export interface Hit {
	kind: string;
	id: string;
	name: string;
}

/** Hits of each kind. */
const OF_EACH = 6;

/** What is called so, or says so, at a moment: of every list whose rows are searched. */
export function searchFor(db: Db, text: string, at: number): Hit[] {
	const scope = { terms: [{ kind: 'text' as const, text, not: false }] };
	return [...LISTS.values()].flatMap((kind) => {
		const { called, card } = kind;
		if (!called || !card) return [];
		const ask = { at, scope, sort: '', descending: false, limit: OF_EACH, offset: 0 };
		return kind.page(db, ask).rows.map((r) => ({ kind: card, id: kind.idOf(r), name: called(r) }));
	});
}
