import { folded } from '../text/nearest';
import { parseDuration } from '../time/units';

/** The facets that a scope can speak of. */
export const FACETS = {
	site: { words: 'in', plural: 'sites' },
	pool: { words: 'pool', plural: 'pools' },
	team: { words: 'team', plural: 'teams' },
	person: { words: 'person', plural: 'people' },
	machine: { words: 'machine', plural: 'machines' },
	host: { words: 'host', plural: 'hosts' },
	line: { words: 'image line', plural: 'image lines' },
	version: { words: 'version', plural: 'versions' },
	state: { words: 'state', plural: 'states' },
	gateway: { words: 'through', plural: 'gateways' },
	protocol: { words: 'by', plural: 'protocols' },
	publication: { words: 'publication', plural: 'publications' },
	endpoint: { words: 'endpoint', plural: 'endpoints' },
	branch: { words: 'branch', plural: 'branches' },
	model: { words: 'model', plural: 'models' }
} as const;
export type Facet = keyof typeof FACETS;

/** Measures that can be compared: how the value is written, and its words. */
export const MEASURES = {
	signin: { words: 'sign-in', unit: 'duration' },
	strain: { words: 'strain', unit: 'number' },
	sessions: { words: 'sessions', unit: 'number' }
} as const;
export type Measure = keyof typeof MEASURES;

export type Comparison = '>' | '>=' | '<' | '<=' | '=';

export type Term =
	| { kind: 'facet'; facet: Facet; values: string[]; not: boolean }
	/** `value` in ms for durations. */
	| { kind: 'measure'; measure: Measure; compare: Comparison; value: number; text: string; not: boolean }
	| { kind: 'text'; text: string; not: boolean };

export interface Scope {
	terms: Term[];
}

export interface ScopeProblem {
	/** Where in the text, counted from 0. */
	at: number;
	words: string;
}

/** A scope that is typed holds no more than this: each part of it is a condition of every query. */
export const SCOPE_LIMITS = { text: 2000, terms: 16, values: 60 } as const;

/** The scope that holds everything. */
export const EVERYTHING: Scope = { terms: [] };

/**
 * Reads a typed scope: `site:north pool:"Big desks" signin>60s -team:guests mast`. Terms are joined by
 * and; values within a facet, parted by commas, by or; a minus in front means without. Never throws: what
 * cannot be read is listed as problems with its place, and the rest still counts.
 */
export function parseScope(text: string): { scope: Scope; problems: ScopeProblem[] } {
	const terms: Term[] = [];
	const problems: ScopeProblem[] = [];
	if (text.length > SCOPE_LIMITS.text)
		return {
			scope: EVERYTHING,
			problems: [{ at: 0, words: `A scope has at most ${SCOPE_LIMITS.text} characters.` }]
		};
	// What is said twice counts once.
	const said = new Set<string>();
	const add = (term: Term) => {
		const key = JSON.stringify({ ...term, text: undefined });
		if (!said.has(term.kind === 'text' ? `${key}${term.text}` : key)) terms.push(term);
		said.add(term.kind === 'text' ? `${key}${term.text}` : key);
	};
	for (const { word, at } of words(text)) {
		if (terms.length >= SCOPE_LIMITS.terms) {
			problems.push({ at, words: `A scope has at most ${SCOPE_LIMITS.terms} parts: what follows is left out.` });
			break;
		}
		const not = word.startsWith('-') && word.length > 1;
		const body = not ? word.slice(1) : word;
		const facet = /^([a-z]+):(.*)$/s.exec(body);
		const measure = /^([a-z]+)(>=|<=|>|<|=)(.+)$/s.exec(body);
		if (facet) {
			if (!Object.hasOwn(FACETS, facet[1]!))
				problems.push({ at, words: `There is no facet “${facet[1]}”. There are ${Object.keys(FACETS).join(', ')}.` });
			else {
				const values = splitValues(facet[2]!);
				if (values.length === 0)
					problems.push({ at, words: `Say which ${FACETS[facet[1] as Facet].words}: ${facet[1]}:name.` });
				else if (values.length > SCOPE_LIMITS.values)
					problems.push({ at, words: `A part of a scope names at most ${SCOPE_LIMITS.values} things.` });
				else add({ kind: 'facet', facet: facet[1] as Facet, values, not });
			}
		} else if (measure) {
			const key = measure[1] as Measure;
			if (!Object.hasOwn(MEASURES, measure[1]!))
				problems.push({
					at,
					words: `There is no measure “${measure[1]}”. There are ${Object.keys(MEASURES).join(', ')}.`
				});
			else {
				const value = MEASURES[key].unit === 'duration' ? parseDuration(measure[3]!) : number(measure[3]!);
				if (value === null)
					problems.push({
						at,
						words:
							MEASURES[key].unit === 'duration'
								? `“${measure[3]}” is not a duration: write 60s or 2min.`
								: `“${measure[3]}” is not a number.`
					});
				else
					add({
						kind: 'measure',
						measure: key,
						compare: measure[2] as Comparison,
						value,
						text: measure[3]!,
						not
					});
			}
		} else {
			const plain = unquote(body);
			if (plain) add({ kind: 'text', text: plain, not });
		}
	}
	return { scope: { terms }, problems };
}

/** The text that reads back as the same scope. */
export function scopeText(scope: Scope): string {
	return scope.terms
		.map((t) => {
			const sign = t.not ? '-' : '';
			if (t.kind === 'facet') return `${sign}${t.facet}:${t.values.map(quote).join(',')}`;
			if (t.kind === 'measure') return `${sign}${t.measure}${t.compare}${t.text}`;
			return sign + (/[:<>=]/.test(t.text) ? `"${t.text}"` : quote(t.text));
		})
		.join(' ');
}

/** One term as words of the sentence in the scope line; `nameOf` turns ids into names. */
export function termWords(term: Term, nameOf: (facet: Facet, id: string) => string = (_f, id) => id): string {
	if (term.kind === 'facet') {
		const names = term.values.map((v) => nameOf(term.facet, v));
		const list = names.length > 1 ? `${names.slice(0, -1).join(', ')} or ${names.at(-1)}` : names[0]!;
		return `${term.not ? 'not ' : ''}${FACETS[term.facet].words} ${list}`;
	}
	if (term.kind === 'measure') {
		const compare = { '>': 'over', '>=': 'at least', '<': 'under', '<=': 'at most', '=': 'exactly' }[term.compare];
		return `${term.not ? 'not ' : ''}${MEASURES[term.measure].words} ${compare} ${term.text}`;
	}
	return `${term.not ? 'without' : 'with'} “${term.text}”`;
}

/** The scope with one facet set to one value (replacing what it said of that facet), or dropped for null. */
export function withFacet(scope: Scope, facet: Facet, value: string | null): Scope {
	const rest = scope.terms.filter((t) => !(t.kind === 'facet' && t.facet === facet && !t.not));
	return { terms: value === null ? rest : [...rest, { kind: 'facet', facet, values: [value], not: false }] };
}

/** The scope without its term number `index`. */
export const withoutTerm = (scope: Scope, index: number): Scope => ({
	terms: scope.terms.filter((_t, i) => i !== index)
});

/** Values that a facet is narrowed to, or null when it says nothing of the facet. */
export function facetValues(scope: Scope, facet: Facet): string[] | null {
	const term = scope.terms.find((t) => t.kind === 'facet' && t.facet === facet && !t.not);
	return term?.kind === 'facet' ? term.values : null;
}

/** How things of a kind answer to facets: the id, or the ids, that each has. */
export type FacetsOf<T> = Partial<Record<Facet, (item: T) => string | readonly string[]>>;

/**
 * The items that a scope holds. A facet that this kind of thing does not have, and every measure, is left out and
 * listed in `left`, so that the view can say so. `text` gives what free words are looked for in.
 */
export function narrow<T>(
	scope: Scope,
	items: readonly T[],
	facets: FacetsOf<T>,
	text: (item: T) => string
): { items: T[]; left: Term[] } {
	const left: Term[] = [];
	const tests: ((item: T) => boolean)[] = [];
	for (const term of scope.terms) {
		const idOf = term.kind === 'facet' ? facets[term.facet] : undefined;
		if (term.kind === 'text') {
			const wanted = folded(term.text);
			tests.push((item) => folded(text(item)).includes(wanted) !== term.not);
		} else if (term.kind === 'facet' && idOf)
			tests.push((item) => [idOf(item)].flat().some((id) => term.values.includes(id)) !== term.not);
		else left.push(term);
	}
	return { items: items.filter((item) => tests.every((holds) => holds(item))), left };
}

/** Terms that none of a view's parts can make use of, as words. */
export const unusedTerms = (...left: Term[][]): string[] =>
	(left[0] ?? []).filter((t) => left.every((l) => l.includes(t))).map((t) => termWords(t));

function* words(text: string): Generator<{ word: string; at: number }> {
	for (const match of text.matchAll(/(?:[^\s"]|"[^"]*(?:"|$))+/g)) yield { word: match[0], at: match.index };
}

function splitValues(text: string): string[] {
	return [
		...new Set([...text.matchAll(/(?:[^,"]|"[^"]*(?:"|$))+/g)].map((m) => unquote(m[0])).filter((v) => v !== ''))
	];
}

const unquote = (text: string) => text.replaceAll('"', '').trim();
const quote = (text: string) => (/[\s,]/.test(text) || text.startsWith('-') ? `"${text}"` : text);
const number = (text: string) => (/^-?\d+(\.\d+)?$/.test(text.trim()) ? Number(text) : null);
