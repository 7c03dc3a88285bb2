import { findPeople, folded, type Pickable } from '$lib/ui/forms/finding';

/** So many of what is known are offered at once. */
const OFFERED = 40;

/** A search of what is known here and of what else is found; `called` learns what all of that is called. */
export const finding =
	(
		of: readonly Pickable[],
		called: Record<string, string>,
		more: (text: string) => Promise<Pickable[]> | Pickable[] = () => []
	) =>
	async (text: string): Promise<Pickable[]> => {
		const wanted = folded(text.trim());
		const known = of.filter((o) => folded(`${o.name} ${o.sub ?? ''}`).includes(wanted)).slice(0, OFFERED);
		const found = [...known, ...(await more(text))];
		for (const o of found) called[o.id] = o.name;
		return found;
	};

/** People, as rules speak of them. */
export const people = async (text: string): Promise<Pickable[]> =>
	text.trim() === '' ? [] : (await findPeople(text)).map((p) => ({ ...p, id: `person/${p.id}` }));

const nameIn = (text: string): string | null => {
	const name = text.trim().toLowerCase().replace(/^\*\./, '');
	return /^[^\s/:.]+(?:\.[^\s/:.]+)+$/.test(name) ? name : null;
};

/** A web site as it is typed. */
export function site(text: string): Pickable[] {
	const name = nameIn(text);
	return name === null ? [] : [{ id: `site/${name}`, name, sub: 'this name alone' }];
}

/** The same, and every name beneath it. */
export function sites(text: string): Pickable[] {
	const name = nameIn(text);
	return name === null
		? []
		: [...site(text), { id: `site/*.${name}`, name: `*.${name}`, sub: 'every name beneath it' }];
}

/** Addresses as they are typed. */
export function ranges(text: string): Pickable[] {
	const range = text.trim();
	return /^[0-9a-f.:]+(\/\d+)?$/i.test(range) && /[.:]/.test(range)
		? [{ id: range, name: range, sub: 'addresses' }]
		: [];
}
