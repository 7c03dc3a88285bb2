import { narrow, type FacetsOf, type Scope, type Term } from '$lib/core/scope/scope';
import type { Need } from '$lib/core/why/need';
import { AREAS } from '../areas';
import type { Db } from '../db';
import { workNeeds } from './work';

/** Facets by which needs are found. A need that has none of a facet does not answer to it. */
const FOUND_BY: FacetsOf<Need> = Object.fromEntries(
	(['site', 'pool', 'machine', 'line', 'version', 'gateway', 'protocol', 'host', 'publication'] as const).map(
		(facet) => [facet, (need: Need) => need.about[facet] ?? []]
	)
);

/**
 * What needs a person at a moment, most people first: what the areas see, failed jobs and waiting plans. Under
 * a scope, what is about something in it; `left` lists the terms that needs do not answer to.
 */
export function needsAt(db: Db, scope: Scope, at: number): { needs: Need[]; left: Term[] } {
	const { items, left } = narrow(
		scope,
		[...AREAS.flatMap((a) => a.needs?.(db, at) ?? []), ...workNeeds(db, at)],
		FOUND_BY,
		(n) => `${n.title} ${n.facts.map((f) => f.words).join(' ')}`
	);
	return { needs: items.sort((a, b) => b.people - a.people || b.since - a.since), left };
}
