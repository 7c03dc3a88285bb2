import { levelIn, may, STAFF_AREAS, type Area, type Level, type Rights } from '$lib/core/access/rights';

/**
 * What a request needs: a level in an area, whoever may draft anything at all (what it is says which area), a sign-in of any kind, or nothing.
 */
export type Need = { area: Area; level: Level } | 'draft' | 'signed in' | 'open';

export const read = (area: Area): Need => ({ area, level: 'read' });
export const draft = (area: Area): Need => ({ area, level: 'draft' });
export const commit = (area: Area): Need => ({ area, level: 'commit' });

/** Whether these rights let one ask for what needs this: 'yes', 'sign in' when nobody is known yet, or 'no'. */
export function mayAsk(need: Need, rights: Rights | null): 'yes' | 'sign in' | 'no' {
	if (need === 'open') return 'yes';
	if (rights === null) return 'sign in';
	if (need === 'signed in') return 'yes';
	// People of the portal draft nothing by the API: what is theirs they do there.
	if (need === 'draft')
		return levelIn(rights, 'portal') === 'none' && STAFF_AREAS.some((a) => may(rights, a, 'draft')) ? 'yes' : 'no';
	return may(rights, need.area, need.level) ? 'yes' : 'no';
}
