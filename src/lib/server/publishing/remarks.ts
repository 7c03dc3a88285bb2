import type { Fact } from '$lib/core/why/explained';
import { asOf } from '../db/intervals';
import { one, type Db } from '../db';
import { insideName } from './inside';
import { poolsFor } from './serving';
import type { PublicationRow } from '../publications';

/** A publication that is there, or is about to be. */
type Looked = Pick<PublicationRow, 'app' | 'icon' | 'pools' | 'reaches'>;

const remark = (words: string, about?: PublicationRow): Fact => ({
	words,
	side: 'against',
	source: 'publications',
	...(about ? { about: { kind: 'publication', id: about.id, name: about.internalName } } : {})
});

/** Pools of a publication that cannot serve it, and those that can, each with the reason. */
export function servingOf(db: Db, p: Looked, at: number): { can: Fact[]; cannot: Fact[] } {
	if (p.reaches !== null) {
		const name = insideName(db, p.reaches, at);
		return name === null
			? { can: [], cannot: [{ words: `${p.reaches} is not there any more`, side: 'against', source: 'publications' }] }
			: {
					can: [
						{ words: `opens ${name} in a browser alone, by the access rules`, side: 'for', source: 'access rules' }
					],
					cannot: []
				};
	}
	const all = new Map(poolsFor(db, p.app, at).map((x) => [x.id, x]));
	const chosen = p.pools.flatMap((id) => all.get(id) ?? []);
	const told = (can: boolean, words: (name: string) => string) =>
		chosen
			.filter((x) => x.can.value === can)
			.map((x) => ({ ...x.can.facts[0]!, words: `${words(x.name)}: ${x.can.facts[0]!.words}` }));
	return {
		can: told(true, (name) => `served by ${name}`),
		cannot: told(false, (name) => `${name} cannot serve it yet`)
	};
}

/** What people could take for another: a picture that stands for anything or that another has, and what opens the same. */
export function mistakable(p: Looked, others: readonly PublicationRow[]): Fact[] {
	const { app } = p;
	if (!app) return [];
	const same = others.find((x) => x.app?.package === app.package && x.app.target === app.target);
	const twin = others.find((x) => x.app && x.icon === p.icon);
	return [
		...(same ? [remark(`${same.internalName} opens the same`, same)] : []),
		...(p.icon === 'app' || p.icon === 'desktop'
			? [remark('its picture stands for anything')]
			: twin
				? [remark(`${twin.internalName} has the same picture`, twin)]
				: [])
	];
}

/** What is worth a second look at a publication: nobody can open it, it can be mistaken, or nobody has been granted it. */
export function remarksOn(db: Db, p: PublicationRow, all: readonly PublicationRow[], at: number): Fact[] {
	const { can, cannot } = servingOf(db, p, at);
	return [
		...(can.length === 0
			? [remark(p.reaches === null ? 'no pool can serve it' : 'what it opens is not there any more')]
			: cannot.length
				? [remark(`${cannot.length} of its pools cannot serve it`)]
				: []),
		...mistakable(
			p,
			all.filter((x) => x.id !== p.id)
		),
		...(one(db, `SELECT 1 FROM grants WHERE publication_id = ? AND ${asOf('grants', '?')}`, [p.id, at, at])
			? []
			: [remark('nobody has been granted it')])
	];
}
