import { may, type Area, type Level, type Role } from '$lib/core/access/rights';

/** What a request needs: a level in an area, a sign-in of any kind, or nothing. */
export type Need = { area: Area; level: Level } | 'signed in' | 'open';

const read = (area: Area): Need => ({ area, level: 'read' });
const draft = (area: Area): Need => ({ area, level: 'draft' });
const commit = (area: Area): Need => ({ area, level: 'commit' });

/**
 * Every route by its id, and what each method of it needs. A route or method that does not stand here is refused:
 * forgetting one shuts it. Plans need more than their route: `draft` and `commit` of the plan's own area are
 * asked for when it is drafted or committed.
 */
export const ROUTES: Record<string, Partial<Record<'GET' | 'POST' | 'DELETE', Need>>> = {
	'/sign-in': { GET: 'open', POST: 'open' },
	'/welcome': { GET: 'open', POST: 'open' },
	'/sign-out': { POST: 'signed in' },
	'/live': { GET: 'signed in' },
	'/here': { POST: 'signed in' },
	'/(console)': { GET: read('estate') },
	'/(console)/build': { GET: read('images') },
	'/(console)/build/sheet': { GET: read('images') },
	'/(console)/build/console': { GET: read('images') },
	'/(console)/build/schedules': { GET: read('images') },
	'/(console)/build/compare': { GET: read('images') },
	'/(console)/build/shipping': { GET: read('images') },
	'/(console)/build/rollouts': { GET: read('images') },
	'/(console)/build/pools': { GET: read('images') },
	'/(console)/build/places': { GET: read('places') },
	'/(console)/build/places/[joining]': { GET: read('places') },
	'/(console)/publish': { GET: read('publishing') },
	'/(console)/publish/packages': { GET: read('publishing') },
	'/(console)/publish/packages/[capture]': { GET: read('publishing') },
	'/(console)/publish/delivery': { GET: read('publishing') },
	'/(console)/publish/who': { GET: read('publishing') },
	'/(console)/publish/shelves': { GET: read('publishing') },
	'/icons/[digest]': { GET: 'open' },
	'/(console)/secure': { GET: read('access') },
	'/(console)/scale': { GET: read('capacity') },
	'/(console)/watch': { GET: read('estate') },
	'/(console)/fix': { GET: read('repair') },
	'/(console)/jobs': { GET: read('record') },
	'/(console)/jobs/[id]': { GET: read('record') },
	'/(console)/plans/[id]': { GET: read('record') },
	'/(console)/changes': { GET: read('record') },
	'/(console)/settings': { GET: read('estate'), POST: read('estate') },
	'/(portal)/my': { GET: 'open', POST: commit('portal') },
	'/(portal)/my/sign-in': { GET: 'open', POST: 'open' },
	'/(portal)/my/desk/[connection]': { GET: commit('portal'), POST: commit('portal') },
	'/(portal)/my/desk/[connection]/progress': { GET: commit('portal') },
	'/api/v1/openapi.json': { GET: 'open' },
	'/api/v1/[kind]': { GET: read('estate') },
	'/api/v1/[kind]/[...id]': { GET: read('estate') },
	'/api/v1/plans': { GET: read('record'), POST: draft('repair') },
	'/api/v1/plans/[id]': { GET: read('record'), DELETE: draft('repair') },
	'/api/v1/plans/[id]/commit': { POST: draft('repair') },
	'/api/v1/plans/[id]/recompute': { POST: draft('repair') },
	'/api/v1/jobs/[id]': { GET: read('record') },
	'/api/v1/jobs/[id]/cancel': { POST: draft('repair') },
	'/api/v1/changes/[id]/undo': { POST: draft('repair') },
	'/api/v1/sheets/[line]': { GET: read('images') },
	'/api/v1/sheets/[line]/check': { POST: read('images') },
	'/api/v1/boms/[line]/[number]': { GET: read('images') },
	'/api/v1/calendar.ics': { GET: read('images') },
	'/api/v1/consoles/[line]': { POST: commit('images') },
	'/api/v1/joinings': { GET: read('places'), POST: draft('places') },
	'/api/v1/joinings/[id]': { GET: read('places'), DELETE: draft('places') },
	'/api/v1/joinings/[id]/checks': { POST: draft('places') },
	'/api/v1/joinings/[id]/[step]': { POST: draft('places') },
	'/api/v1/captures': { GET: read('publishing'), POST: draft('publishing') },
	'/api/v1/captures/[id]': { GET: read('publishing') },
	'/api/v1/captures/[id]/changes': { GET: read('publishing') },
	'/api/v1/captures/[id]/files/[part]': { POST: draft('publishing') },
	'/api/v1/captures/[id]/compare': { POST: draft('publishing') },
	'/api/v1/captures/[id]/choices': { POST: draft('publishing') },
	'/api/v1/packages': { GET: read('publishing'), POST: draft('publishing') },
	'/api/v1/packages/[name]/[number]': { GET: read('publishing') },
	'/api/v1/icons': { POST: draft('publishing') },
	'/api/v1/who': { GET: read('publishing') },
	'/api/v1/who/[team]/[publication]': { GET: read('publishing') },
	'/api/v1/shelves/[login]': { GET: read('publishing') },
	'/api/v1/notices': { POST: 'signed in' },
	'/api/v1/overlay': { GET: read('publishing') },
	'/api/v1/names': { GET: read('publishing') },
	'/api/v1/access-test': { GET: read('access') },
	'/api/v1/lab/clock': { GET: read('lab'), POST: commit('lab') },
	'/api/v1/lab/faults': { GET: read('lab'), POST: commit('lab') },
	'/api/v1/lab/faults/[id]': { DELETE: commit('lab') },
	'/api/v1/lab/threads': { POST: commit('lab') },
	'/api/v1/lab/outbox': { GET: read('lab') }
};

/** Whether a role may make this request: 'yes', 'sign in' when nobody is known yet, or 'no'. */
export function mayRequest(route: string | null, method: string, role: Role | null): 'yes' | 'sign in' | 'no' {
	const asked = method === 'HEAD' ? 'GET' : method;
	const need = route === null ? undefined : ROUTES[route]?.[asked as 'GET'];
	if (need === undefined) return 'no';
	if (need === 'open') return 'yes';
	if (role === null) return 'sign in';
	if (need === 'signed in') return 'yes';
	return may(role, need.area, need.level) ? 'yes' : 'no';
}
