import { PART_FACETS, type PartFacet } from '$lib/core/access/part';
import { FACETS } from '$lib/core/scope/scope';
import type { Pickable } from '$lib/ui/forms/finding';

/** What a form needs that gives somebody a role. */
export interface Giving {
	roles: readonly { id: string; name: string }[];
	/** What a part can be made of. */
	options: readonly Pickable[];
	/** The zone that a last day counts in. */
	zone: string;
	now: number;
}

type Names = Partial<Record<PartFacet, readonly { id: string; name: string }[]>>;

/** What a part of the estate can be made of, to be picked: `site:north`, called “in Northby”. */
export const partOptions = (names: Names): Pickable[] =>
	PART_FACETS.flatMap((facet) =>
		(names[facet] ?? []).map(({ id, name }) => ({ id: `${facet}:${id}`, name: `${FACETS[facet].words} ${name}` }))
	);

/** The part that is written of what was picked: several of a facet are any of them. */
export const partOf = (picked: readonly string[]): string =>
	PART_FACETS.flatMap((facet) => {
		const ids = picked.filter((p) => p.startsWith(`${facet}:`)).map((p) => p.slice(facet.length + 1));
		return ids.length ? [`${facet}:${ids.map((id) => (/[\s,":]/.test(id) ? `"${id}"` : id)).join(',')}`] : [];
	}).join(' ');
