import { isBare, type Card } from '$lib/core/why/card';
import { AREAS } from '../areas';
import { changeCard } from '../changes/card';
import type { Context } from '../context';
import type { CardOf, Then } from '../manifest';

/** Every kind of card that there is. */
const CARDS: ReadonlyMap<string, CardOf> = new Map<string, CardOf>([
	['change', changeCard],
	...AREAS.flatMap((a) => Object.entries(a.cards ?? {}))
]);

/**
 * The card of a thing at a moment, or null when there is no such thing. A card of the past offers nothing to do, but for what a
 * change did, which can be undone whenever it is looked at.
 */
export async function cardOf(ctx: Context, kind: string, id: string, then: Then): Promise<Card | null> {
	const card = await CARDS.get(kind)?.(ctx, id, then);
	if (!card) return null;
	const added = AREAS.flatMap((a) => a.sections?.[kind]?.(ctx, id, then) ?? []);
	return {
		...card,
		actions: then.live || kind === 'change' ? card.actions : [],
		sections: [...card.sections, ...added].filter((s) => !isBare(s))
	};
}
