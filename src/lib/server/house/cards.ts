import { isBare, type Card } from '$lib/core/why/card';
import { AREAS } from '../areas';
import type { Context } from '../context';
import { cardKind, type Then } from '../things/catalogue';

/**
 * The card of a thing at a moment, or null when there is no such thing. A card of the past offers nothing to do, but for what a
 * change did, which can be undone whenever it is looked at.
 */
export async function cardOf(ctx: Context, kind: string, id: string, then: Then): Promise<Card | null> {
	const card = await cardKind(kind)?.(ctx, id, then);
	if (!card) return null;
	const added = AREAS.flatMap((a) => a.adds?.(ctx, kind, id, then) ?? []);
	return {
		...card,
		actions: then.live || kind === 'change' ? [...card.actions, ...added.flatMap((a) => a.actions ?? [])] : [],
		lead: [...(card.lead ?? []), ...added.flatMap((a) => a.lead ?? [])].filter((s) => !isBare(s)),
		sections: [...card.sections, ...added.flatMap((a) => a.sections ?? [])].filter((s) => !isBare(s))
	};
}
