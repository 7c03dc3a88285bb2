import { may, type Area, type Level, type Role } from '$lib/core/access/rights';

/** What a request needs: a level in an area, a sign-in of any kind, or nothing. */
export type Need = { area: Area; level: Level } | 'signed in' | 'open';

export const read = (area: Area): Need => ({ area, level: 'read' });
export const draft = (area: Area): Need => ({ area, level: 'draft' });
export const commit = (area: Area): Need => ({ area, level: 'commit' });

/** Whether a role may ask for what needs this: 'yes', 'sign in' when nobody is known yet, or 'no'. */
export function mayAsk(need: Need, role: Role | null): 'yes' | 'sign in' | 'no' {
	if (need === 'open') return 'yes';
	if (role === null) return 'sign in';
	if (need === 'signed in') return 'yes';
	return may(role, need.area, need.level) ? 'yes' : 'no';
}
