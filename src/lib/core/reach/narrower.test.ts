import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { narrower, type Use } from './narrower';
import { ANYWHERE, plainRule, type AccessRule, type Reacher } from './rules';
import { Catalogue } from './targets';
import { World, type Ground } from './world';

const ground: Ground = {
	catalogue: new Catalogue(
		new Map([
			['tides.example', 'tides'],
			['films.example', 'films']
		])
	),
	services: [
		{ id: 'depot', name: 'Depot', group: 'stores' },
		{ id: 'archive', name: 'Archive', group: 'stores' },
		{ id: 'pay', name: 'Pay', group: null }
	],
	sites: new Map([
		['quay', ['10.1.0.0/16']],
		['isle', ['10.2.0.0/16']],
		['ship', ['10.3.0.0/16']],
		['bank', ['10.4.0.0/16']]
	]),
	branches: new Map()
};
/** Forty people in four teams of ten, all below one. */
const people: Reacher[] = Array.from({ length: 40 }, (_v, i) => ({
	login: `p${i}`,
	teams: [`t${Math.floor(i / 10)}`, 'all'],
	employment: 'staff'
}));
const rule = (more: Partial<AccessRule> = {}): AccessRule => ({ ...plainRule('r', 'allow'), ...more });
const use = (person: number, more: Partial<Use> = {}): Use => ({
	person: people[person]!,
	target: { kind: 'service', id: 'depot' },
	address: '10.1.0.7',
	...more
});

describe('a narrower rule', () => {
	test('names the teams of those who used it, the sites they sat at, and what they reached', () => {
		const found = narrower(
			rule({ what: [{ kind: 'group', id: 'stores' }] }),
			[...Array(20).keys()].map((i) => use(i)),
			people,
			ground
		)!;
		expect(found.people).toEqual({ was: 40, is: 20, used: 20 });
		expect(found.rule.who.map((w) => w.id).sort()).toEqual(['t0', 't1']);
		expect(found.rule.from).toEqual([{ kind: 'site', id: 'quay' }]);
		expect(found.rule.what).toEqual([{ kind: 'service', id: 'depot' }]);
	});
	test('names nobody alone, and is none where their teams would be nearly everybody', () => {
		const uses = [use(3), use(17), use(31)];
		expect(
			narrower(
				rule({ what: [{ kind: 'service', id: 'depot' }], from: [{ kind: 'site', id: 'quay' }] }),
				uses,
				people,
				ground
			)
		).toBeNull();
		const found = narrower(rule(), uses, people, ground)!;
		expect(found.rule.who).toEqual([]);
		expect(found.what).toEqual([{ kind: 'service', id: 'depot' }]);
	});
	test('is none where nearly everybody used it, from everywhere, or nobody did', () => {
		const everybody = [...Array(36).keys()].map((i) => use(i, { address: `10.${(i % 4) + 1}.0.7` }));
		expect(narrower(rule({ what: [{ kind: 'service', id: 'depot' }] }), everybody, people, ground)).toBeNull();
		expect(narrower(rule(), [], people, ground)).toBeNull();
	});
	test('leaves where from, and what, as they are where that was not known of all', () => {
		const found = narrower(
			rule(),
			[use(1), use(2, { address: null, target: { kind: 'site', host: 'unknown.example' } })],
			people,
			ground
		)!;
		expect(found.from).toBeNull();
		expect(found.what).toBeNull();
		expect(found.rule.who).toEqual([{ kind: 'team', id: 't0' }]);
	});
	test('keeps whom it leaves out, and all that it asks else', () => {
		const was = rule({ whoNot: [{ kind: 'team', id: 't3' }], device: { managed: true }, daily: { bytes: 5 } });
		const found = narrower(was, [use(1)], people, ground)!;
		expect(found.rule).toMatchObject({ whoNot: was.whoNot, device: was.device, daily: was.daily, effect: 'allow' });
		expect(found.people.was).toBe(30);
	});
	test('lets through all that was used, and nobody beside whom the other is about', () => {
		fc.assert(
			fc.property(
				fc.array(
					fc.record({
						who: fc.integer({ min: 0, max: 39 }),
						target: fc.constantFrom('depot', 'archive', 'pay', 'tides.example', 'films.example', 'none.example'),
						site: fc.integer({ min: 1, max: 5 })
					}),
					{ minLength: 1, maxLength: 30 }
				),
				fc.constantFrom<Partial<AccessRule>>({}, { who: [{ kind: 'team', id: 'all' }] }, { what: [] }),
				(made, more) => {
					const uses = made.map(({ who, target, site }) =>
						use(who, {
							target: target.includes('.') ? { kind: 'site', host: target } : { kind: 'service', id: target },
							address: `10.${site}.0.9`
						})
					);
					const was = rule(more);
					const found = narrower(was, uses, people, ground);
					if (!found) return;
					const decides = (r: AccessRule, u: Use) =>
						new World([r], { web: 'refuse', services: 'refuse' }, ground).first(u.person, u.target, {
							...ANYWHERE,
							address: u.address
						}) === 0;
					expect(uses.every((u) => decides(found.rule, u))).toBe(true);
					for (const person of people)
						for (const u of uses)
							if (decides(found.rule, { ...u, person })) expect(decides(was, { ...u, person })).toBe(true);
				}
			),
			{ numRuns: 300 }
		);
	});
});
