import { call } from '$lib/ui/plan/api';

/** Something that can be picked: what it is kept as, what it is called, and what tells it from others called alike. */
export interface Pickable {
	id: string;
	name: string;
	sub?: string;
}

/** So many are offered at once. */
const OFFERED = 20;

async function rows<T>(list: string, text: string): Promise<T[]> {
	const scope = text.trim() === '' ? '' : `"${text.trim().replace(/"/g, '')}"`;
	const query = new URLSearchParams({ scope, limit: String(OFFERED) });
	const answer = await call<{ rows: T[] }>('GET', `/${list}?${query}`);
	return answer.ok ? answer.value.rows : [];
}

/** People by name, login, team or site. */
export const findPeople = async (text: string): Promise<Pickable[]> =>
	(await rows<{ login: string; name: string; team: string; site: string }>('people', text)).map((p) => ({
		id: p.login,
		name: p.name,
		sub: `${p.team}, ${p.site} · ${p.login}`
	}));

/** Machines by name, pool or site. */
export const findMachines = async (text: string): Promise<Pickable[]> =>
	(await rows<{ name: string; pool: string; site: string }>('machines', text)).map((m) => ({
		id: m.name,
		name: m.name,
		sub: `${m.pool}, ${m.site}`
	}));
