import { call } from '$lib/ui/plan/api';

/** Something that can be picked: what it is kept as, what it is called, and what tells it from others called alike. */
export interface Pickable {
	id: string;
	name: string;
	sub?: string;
}

/** Text as it is compared: without case and marks. */
export const folded = (text: string): string => text.toLocaleLowerCase('en').normalize('NFKD').replace(/\p{M}/gu, '');

/** What of these is meant by a text that names one: by what it is kept as, or by its name if no other is called so. */
export function meantBy(text: string, of: readonly Pickable[]): Pickable | undefined {
	const wanted = folded(text.trim());
	const kept = of.find((o) => folded(o.id) === wanted);
	if (kept) return kept;
	const named = of.filter((o) => folded(o.name) === wanted);
	return named.length === 1 ? named[0] : undefined;
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

/** People by name, login, team or site, with those who begin within sixty days: for what is made ready ahead. */
export async function findPeopleToCome(text: string): Promise<Pickable[]> {
	const [here, coming] = await Promise.all([
		findPeople(text),
		rows<{ person: string; name: string; kind: string; team: string; site: string }>('comings', text)
	]);
	const begin = coming
		.filter((c) => c.kind === 'begins' && !here.some((p) => p.id === c.person))
		.map((c) => ({ id: c.person, name: c.name, sub: `begins: ${c.team}, ${c.site} · ${c.person}` }));
	return [...begin, ...here];
}

/** Machines by name, pool or site. */
export const findMachines = async (text: string): Promise<Pickable[]> =>
	(await rows<{ name: string; pool: string; site: string }>('machines', text)).map((m) => ({
		id: m.name,
		name: m.name,
		sub: `${m.pool}, ${m.site}`
	}));

/** What settings can be said for alone: endpoints and machines, by what names them. */
export const findSettled = async (text: string): Promise<Pickable[]> => [
	...(await rows<{ id: number; name: string; branchName: string | null; model: string }>('endpoints', text)).map(
		(e) => ({ id: `endpoint/${e.id}`, name: e.name, sub: `${e.model}, ${e.branchName ?? 'no branch'}` })
	),
	...(await findMachines(text)).map((m) => ({ ...m, id: `machine/${m.id}` }))
];
