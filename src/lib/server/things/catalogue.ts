import type { Card } from '$lib/core/why/card';
import type { Context } from '../context';

/** The moment that something is looked at, in ms UTC; `live` where it is the present, and providers can be asked as well. */
export interface Then {
	at: number;
	live: boolean;
}

/** The card of one thing, by its id; null where there is no such thing at that moment. */
export type CardOf = (ctx: Context, id: string, then: Then) => Card | null | Promise<Card | null>;

let cards: ReadonlyMap<string, CardOf> | null = null;

/** Every kind of thing that has a card; `areas.ts` gathers them. */
export function declareCards(all: ReadonlyMap<string, CardOf>): void {
	cards = all;
}

/** How the card of a kind of thing is made, or undefined where there is no such kind. */
export function cardKind(kind: string): CardOf | undefined {
	if (cards === null) throw new Error('No area has been gathered: import areas.ts first.');
	return cards.get(kind);
}

/** What a thing is called at a moment, by its kind and id as `machine/desk-001`; null where there is none. */
export async function thingCalled(ctx: Context, thing: string, at: number): Promise<string | null> {
	const cut = thing.indexOf('/');
	const card = await cardKind(thing.slice(0, cut))?.(ctx, thing.slice(cut + 1), { at, live: false });
	return card?.title ?? null;
}
