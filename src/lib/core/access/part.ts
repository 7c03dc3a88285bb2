import { parseScope, scopeText, termWords, type Facet, type Scope } from '../scope/scope';

/** Facets that a part of the estate can be told by. */
export const PART_FACETS = ['site', 'team', 'pool', 'line'] as const satisfies readonly Facet[];
export type PartFacet = (typeof PART_FACETS)[number];

/**
 * A part of the estate that an administrator is there for: whatever answers to all of its facets, with any of the values of each.
 * Nothing named: the whole.
 */
export type Part = Partial<Record<PartFacet, string[]>>;

/**
 * Reads a part as it is written: a scope of sites, teams, pools and image lines, such as `site:north team:guests`. Empty: the whole. What
 * cannot be read is said in words, since a part that is read wrong gives somebody more than was meant.
 */
export function readPart(text: string): { part: Part; problems: string[] } {
	const { scope, problems } = parseScope(text);
	const said = problems.map((p) => p.words);
	const part: Part = {};
	for (const term of scope.terms) {
		const facet = term.kind === 'facet' ? PART_FACETS.find((f) => f === term.facet) : undefined;
		if (term.kind !== 'facet' || !facet || term.not)
			said.push(`“${termWords(term)}” tells no part: name sites, teams, pools or image lines that it has.`);
		else if (part[facet]) said.push(`It speaks of ${facet}s twice: name them together, parted by commas.`);
		else part[facet] = term.values;
	}
	return { part, problems: said };
}

const scopeOf = (part: Part): Scope => ({
	terms: PART_FACETS.flatMap((facet) => {
		const values = part[facet];
		return values ? [{ kind: 'facet' as const, facet, values: [...values], not: false }] : [];
	})
});

/** The text that reads back as this part; the same for parts that are the same. */
export const partText = (part: Part): string =>
	scopeText(scopeOf(Object.fromEntries(Object.entries(part).map(([facet, ids]) => [facet, [...new Set(ids)].sort()]))));

/** A part in words: “in Northby, team Guests”; `nameOf` turns ids into names. */
export const partWords = (part: Part, nameOf?: (facet: Facet, id: string) => string): string =>
	scopeOf(part)
		.terms.map((t) => termWords(t, nameOf))
		.join(', ');
