import type { Card, CardSection } from '$lib/core/why/card';
import type { Context } from './context';
import type { StepHandler } from './jobs/step';
import type { PlanKind } from './plans/kind';

/** The moment that something is looked at, in ms UTC; `live` where it is the present, and providers can be asked as well. */
export interface Then {
	at: number;
	live: boolean;
}

/** The card of one thing, by its id; null where there is no such thing at that moment. */
export type CardOf = (ctx: Context, id: string, then: Then) => Card | null | Promise<Card | null>;

/** What an area has beside what it offers to others: the house is put together from these. */
export interface Manifest {
	name: string;
	/** Kinds of changes that it plans. */
	plans?: readonly PlanKind[];
	/** What carries out the steps of its plans, by kind. */
	steps?: Readonly<Record<string, StepHandler>>;
	/** Cards of what it looks after, by what they are of. */
	cards?: Readonly<Record<string, CardOf>>;
	/** Sections that it adds to the cards of other areas, by what those are of. */
	sections?: Readonly<Record<string, (ctx: Context, id: string, then: Then) => CardSection[]>>;
}
