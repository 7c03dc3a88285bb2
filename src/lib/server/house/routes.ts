import type { Rights } from '$lib/core/access/rights';
import { commit, mayAsk, read, type Need } from '../calls/need';

/**
 * Every page by the id of its route, and what each method of it needs; addresses of the API say so where they are declared. A route or
 * method that does not stand here is refused: forgetting one shuts it. Plans need more than their route: `draft` and `commit` of the
 * plan's own area are asked for when it is drafted or committed.
 */
export const ROUTES: Record<string, Partial<Record<'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE', Need>>> = {
	'/sign-in': { GET: 'open', POST: 'open' },
	'/welcome': { GET: 'open', POST: 'open' },
	'/sign-in/passkey': { GET: 'open', POST: 'open' },
	'/passkey': { GET: 'signed in' },
	'/sign-out': { POST: 'signed in' },
	'/live': { GET: 'signed in' },
	'/here': { POST: 'signed in' },
	'/(console)': { GET: read('estate') },
	'/(console)/first': { GET: read('estate') },
	'/(console)/build': { GET: read('images') },
	'/(console)/build/sheet': { GET: read('images') },
	'/(console)/build/console': { GET: read('images') },
	'/(console)/build/schedules': { GET: read('images') },
	'/(console)/build/compare': { GET: read('images') },
	'/(console)/build/shipping': { GET: read('images') },
	'/(console)/build/rollouts': { GET: read('images') },
	'/(console)/build/pools': { GET: read('images') },
	'/(console)/build/sites': { GET: read('sites') },
	'/(console)/build/sites/[joining]': { GET: read('sites') },
	'/(console)/publish': { GET: read('publishing') },
	'/(console)/publish/packages': { GET: read('publishing') },
	'/(console)/publish/packages/[capture]': { GET: read('publishing') },
	'/(console)/publish/delivery': { GET: read('publishing') },
	'/(console)/publish/who': { GET: read('publishing') },
	'/(console)/publish/people': { GET: read('publishing') },
	'/(console)/publish/endpoints': { GET: read('publishing') },
	'/(console)/publish/settings': { GET: read('publishing') },
	'/(console)/publish/shelves': { GET: read('publishing') },
	'/icons/[digest]': { GET: 'open' },
	'/(console)/secure': { GET: read('access') },
	'/(console)/secure/rules': { GET: read('access') },
	'/(console)/secure/activity': { GET: read('activity') },
	'/(console)/secure/unusual': { GET: read('activity') },
	'/(console)/secure/reports': { GET: read('reports') },
	'/(console)/scale': { GET: read('capacity') },
	'/(console)/watch': { GET: read('estate') },
	'/(console)/fix': { GET: read('repair') },
	'/(console)/jobs': { GET: read('record') },
	'/(console)/jobs/[id]': { GET: read('record') },
	'/(console)/plans/[id]': { GET: read('record') },
	'/(console)/changes': { GET: read('record') },
	'/(console)/changes/record': { GET: read('audit') },
	'/(console)/settings': { GET: read('estate'), POST: read('estate') },
	'/(portal)/my': { GET: 'open', POST: commit('portal') },
	'/(portal)/my/sign-in': { GET: 'open', POST: 'open' },
	'/(portal)/my/sign-in/passkey': { GET: 'open', POST: 'open' },
	'/(portal)/my/language': { POST: 'open' },
	'/(portal)/my/passkey': { GET: commit('portal') },
	'/(portal)/my/account': { GET: commit('portal'), POST: commit('portal') },
	'/(portal)/my/devices': { GET: commit('portal'), POST: commit('portal') },
	// Whom the link lets in is said by what stands in it.
	'/(portal)/my/welcome/[token]': { GET: 'open', POST: 'open' },
	'/(portal)/my/inside/[publication]': { GET: commit('portal'), POST: commit('portal') },
	'/(portal)/my/desk/[connection]': { GET: commit('portal'), POST: commit('portal') },
	'/(portal)/my/desk/[connection]/progress': { GET: commit('portal') },
	// It says itself who may, in the words of its standard.
	'/scim/v2/[...path]': { GET: 'open', POST: 'open', PUT: 'open', PATCH: 'open', DELETE: 'open' },
	'/api/v1/openapi.json': { GET: 'open' }
};

/** Whether these rights let one make this request: 'yes', 'sign in' when nobody is known yet, or 'no'. */
export function mayRequest(route: string | null, method: string, rights: Rights | null): 'yes' | 'sign in' | 'no' {
	const asked = method === 'HEAD' ? 'GET' : method;
	const need = route === null ? undefined : ROUTES[route]?.[asked as 'GET'];
	return need === undefined ? 'no' : mayAsk(need, rights);
}
