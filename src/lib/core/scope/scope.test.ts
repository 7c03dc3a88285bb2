import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
	facetValues,
	narrow,
	unusedTerms,
	FACETS,
	parseScope,
	scopeText,
	termWords,
	withFacet,
	withoutTerm,
	type Facet,
	type Scope
} from './scope';

describe('a typed scope', () => {
	test('is read term by term', () => {
		const { scope, problems } = parseScope('site:bergen pool:"Chart Studio" signin>60s -team:contractors fulmar');
		expect(problems).toEqual([]);
		expect(scope.terms).toEqual([
			{ kind: 'facet', facet: 'site', values: ['bergen'], not: false },
			{ kind: 'facet', facet: 'pool', values: ['Chart Studio'], not: false },
			{ kind: 'measure', measure: 'signin', compare: '>', value: 60_000, text: '60s', not: false },
			{ kind: 'facet', facet: 'team', values: ['contractors'], not: true },
			{ kind: 'text', text: 'fulmar', not: false }
		]);
	});
	test.each([
		['colour:red', /no facet “colour”/],
		['signin>soon', /not a duration/],
		['strain>high', /not a number/],
		['speed>3', /no measure “speed”/],
		['site:', /Say which/]
	])('%s is a problem with its place, and the rest still counts', (text, words) => {
		const { scope, problems } = parseScope(`pool:x ${text}`);
		expect(problems).toHaveLength(1);
		expect(problems[0]!.words).toMatch(words);
		expect(problems[0]!.at).toBe(7);
		expect(scope.terms).toHaveLength(1);
	});

	const value = fc.stringMatching(/^[a-zA-Z0-9][a-zA-Z0-9 .,/-]{0,11}[a-z0-9]$/);
	const term = fc.oneof(
		fc.record({
			kind: fc.constant('facet' as const),
			facet: fc.constantFrom(...(Object.keys(FACETS) as Facet[])),
			values: fc.uniqueArray(value, { minLength: 1, maxLength: 3 }),
			not: fc.boolean()
		}),
		fc
			.record({
				kind: fc.constant('measure' as const),
				measure: fc.constant('strain' as const),
				compare: fc.constantFrom('>' as const, '<=' as const),
				value: fc.nat(),
				not: fc.boolean()
			})
			.map((t) => ({ ...t, text: String(t.value) })),
		fc.record({ kind: fc.constant('text' as const), text: value, not: fc.boolean() })
	);
	test('written out reads back as the same scope', () => {
		fc.assert(
			// What is said twice counts once.
			fc.property(fc.uniqueArray(term, { maxLength: 5, selector: (t) => scopeText({ terms: [t] }) }), (terms) => {
				const scope: Scope = { terms };
				expect(parseScope(scopeText(scope))).toEqual({ scope, problems: [] });
			})
		);
	});
});

describe('a scope', () => {
	const scope = parseScope('site:bergen,halifax -team:x signin>=2min').scope;
	test('reads as words', () => {
		expect(scope.terms.map((t) => termWords(t, (_f, id) => id.toUpperCase()))).toEqual([
			'in BERGEN or HALIFAX',
			'not team X',
			'sign-in at least 2min'
		]);
	});
	test('changes facet by facet', () => {
		expect(scopeText(withFacet(scope, 'site', 'hobart'))).toBe('-team:x signin>=2min site:hobart');
		expect(facetValues(withFacet(scope, 'site', null), 'site')).toBeNull();
		expect(facetValues(scope, 'team')).toBeNull();
		expect(scopeText(withoutTerm(scope, 0))).toBe('-team:x signin>=2min');
	});
});

describe('narrowing plain things', () => {
	const pools = [
		{ id: 'bridge', site: 'bergen', serves: ['desk', 'trial'] },
		{ id: 'chart', site: 'bergen', serves: ['chart'] },
		{ id: 'watch', site: 'halifax', serves: [] }
	];
	const under = (text: string) =>
		narrow(
			parseScope(text).scope,
			pools,
			{ site: (p) => p.site, pool: (p) => p.id, publication: (p) => p.serves },
			(p) => `Pool ${p.id}`
		);
	const ids = (text: string) => under(text).items.map((p) => p.id);

	test('takes values of a facet by or, terms by and, and a minus as without', () => {
		expect(ids('')).toEqual(['bridge', 'chart', 'watch']);
		expect(ids('site:bergen')).toEqual(['bridge', 'chart']);
		expect(ids('pool:chart,watch')).toEqual(['chart', 'watch']);
		expect(ids('site:bergen pool:chart,watch')).toEqual(['chart']);
		expect(ids('-site:bergen')).toEqual(['watch']);
		expect(ids('site:nowhere')).toEqual([]);
	});
	test('finds a thing by any of its ids; one that has none is found by none', () => {
		expect(ids('publication:trial')).toEqual(['bridge']);
		expect(ids('-publication:trial')).toEqual(['chart', 'watch']);
	});
	test('looks for free words whatever their case', () => {
		expect(ids('CHART')).toEqual(['chart']);
		expect(ids('-pool')).toEqual([]);
	});
	test('leaves out what says nothing, and lists it', () => {
		const { items, left } = under('site:bergen strain>50 team:charts');
		expect(items).toHaveLength(2);
		expect(left.map((t) => t.kind)).toEqual(['measure', 'facet']);
	});
	test('a view leaves out only what none of its parts can use', () => {
		const a = under('strain>50 team:charts').left;
		const scope = parseScope('strain>50 team:charts').scope;
		expect(unusedTerms(scope.terms, scope.terms)).toEqual(['strain over 50', 'team charts']);
		expect(unusedTerms(scope.terms, [scope.terms[0]!])).toEqual(['strain over 50']);
		expect(unusedTerms(a, [])).toEqual([]);
		expect(unusedTerms()).toEqual([]);
	});
});
