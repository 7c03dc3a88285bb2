import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { compile, readCondition, type Condition, type Device } from './condition';
import { leftTo } from './covering';
import {
	compareRules,
	decide,
	handAgainstRule,
	neverDecide,
	place,
	ready,
	runThrough,
	Tree,
	type EnrolmentRule,
	type Stands
} from './rules';

const read = (text: string): Condition => {
	const c = readCondition(text);
	if (!('is' in c)) throw new Error(c.words);
	return c;
};
const tree = new Tree([
	{ id: 'all', name: 'Kept', parent: null, site: null },
	{ id: 'offices', name: 'Offices', parent: 'all', site: null },
	{ id: 'bergen', name: 'Bergen', parent: 'offices', site: 'bergen' },
	{ id: 'charts', name: 'Chart room', parent: 'bergen', site: null },
	{ id: 'ships', name: 'Ships', parent: 'all', site: null },
	{ id: 'held', name: 'Hand-helds', parent: 'all', site: null }
]);
let next = 1;
const rule = (condition: string, into: string, more: Partial<EnrolmentRule> = {}): EnrolmentRule => ({
	id: next++,
	name: `to ${into}`,
	condition: read(condition),
	into,
	bySite: false,
	whom: 'all',
	often: 'start',
	deeper: 'move',
	...more
});
const device = (more: Partial<Device> = {}): Device => ({
	serial: 'a',
	name: 'a',
	model: 'Tern 7',
	hardware: '',
	firmware: '4.2.0',
	address: '10.21.0.9',
	site: 'bergen',
	teams: [],
	...more
});
const NEW: Stands = { branch: null, rule: null, byHand: null };
const at = (branch: string, more: Partial<Stands> = {}): Stands => ({ branch, rule: null, byHand: null, ...more });

describe('the first rule that fits', () => {
	const ships = rule('address in 10.31.0.0/24', 'ships');
	const offices = rule('address in 10.21.0.0/22', 'offices', { bySite: true, deeper: 'stay' });
	test('puts a device, and those before say why they did not', () => {
		const p = place(device(), NEW, [ships, offices], tree);
		expect(p).toMatchObject({ branch: 'bergen', rule: offices.id, moves: true });
		expect(p.facts.map((f) => f.words)).toEqual([
			'rule 2, to offices, fits: Bergen',
			'rule 1, to ships, does not fit: its address 10.21.0.9'
		]);
		expect(place(device({ address: '192.0.2.1' }), NEW, [ships, offices], tree)).toMatchObject({
			branch: null,
			rule: null
		});
		expect(place(device({ address: '192.0.2.1' }), at('ships'), [ships], tree).facts[0]!.words).toBe(
			'no rule fits: it stays where it stands'
		);
	});
	test('leaves alone what somebody has put deeper, where it says so, and takes back what stands elsewhere', () => {
		const p = place(device(), at('charts', { byHand: 5 }), [offices], tree);
		expect(p).toMatchObject({ branch: 'charts', moves: false, rule: offices.id });
		expect(p.facts[1]!.words).toBe('somebody has put it deeper, into Chart room, and it is left there');
		expect(place(device(), at('charts', { byHand: 5 }), [{ ...offices, deeper: 'move' }], tree).branch).toBe('bergen');
		expect(place(device(), at('ships', { byHand: 5 }), [offices], tree)).toMatchObject({
			branch: 'bergen',
			moves: true
		});
		// Deeper by a rule is not by hand.
		expect(place(device(), at('charts', { rule: 99 }), [offices], tree).branch).toBe('bergen');
	});
	test('for new devices passes over the others, and one that decides once does so once', () => {
		const fresh = rule('any', 'held', { whom: 'new' });
		expect(place(device(), at('ships'), [fresh, offices], tree).branch).toBe('bergen');
		expect(place(device(), NEW, [fresh, offices], tree).branch).toBe('held');
		const once = rule('any', 'held', { often: 'once' });
		expect(place(device(), NEW, [once], tree).branch).toBe('held');
		expect(place(device(), at('ships', { rule: once.id }), [once], tree).branch).toBe('ships');
		expect(place(device(), at('ships', { byHand: 1, rule: once.id }), [once], tree).branch).toBe('ships');
		expect(place(device(), at('ships', { rule: 77 }), [once], tree).branch).toBe('held');
	});
});

test('a tree that goes round ends, and nothing lies below itself', () => {
	const round = new Tree([
		{ id: 'a', name: 'a', parent: 'b', site: null },
		{ id: 'b', name: 'b', parent: 'a', site: null }
	]);
	expect(round.above('a').map((b) => b.id)).toEqual(['a', 'b']);
	expect(round.inOrder()).toHaveLength(2);
	expect(tree.inOrder().map((b) => b.id)).toEqual(['all', 'offices', 'bergen', 'charts', 'ships', 'held']);
	expect(new Tree([...tree.branches].reverse()).inOrder().map((b) => b.id)).toEqual([
		'all',
		'held',
		'ships',
		'offices',
		'bergen',
		'charts'
	]);
	expect(tree.isBelow('charts', 'all')).toBe(true);
	expect(tree.isBelow('charts', 'charts')).toBe(false);
});

describe('rules that never decide', () => {
	const left = (...texts: string[]) =>
		leftTo(texts.map(read)).map((l) => ('by' in l ? `none by ${l.by.join()}` : l.left));
	test('are those whose range earlier ones have, alone or together', () => {
		expect(left('address in 10.21.0.0/22', 'address in 10.21.3.0/24')).toEqual(['some', 'none by 0']);
		expect(left('address in 10.21.3.0/24', 'address in 10.21.0.0/22')).toEqual(['some', 'some']);
		expect(left('address in 10.0.0.0/9', 'address in 10.128.0.0/9', 'site is x', 'address in 10.0.0.0/8')).toEqual([
			'some',
			'some',
			'some',
			'none by 0,1'
		]);
		expect(left('any', 'model ~ x*')).toEqual(['some', 'none by 0']);
	});
	test('by versions, values, and what is not so', () => {
		expect(left('firmware >= 4.2', 'firmware < 4.2', 'firmware = 4.1.3')).toEqual(['some', 'some', 'none by 1']);
		// What is no version is neither.
		expect(left('firmware >= 4.2', 'firmware < 4.2', 'any')).toEqual(['some', 'some', 'some']);
		expect(left('not site is bergen', 'site is halifax')).toEqual(['some', 'none by 0']);
		expect(left('model ~ T*', 'not model ~ T*', 'any')).toEqual(['some', 'some', 'none by 0,1']);
		expect(left('team is a and model ~ T*', 'model ~ T* and team is a and site is x')).toEqual(['some', 'none by 0']);
	});
	test('and those that can hold of nothing', () => {
		expect(left('site is a and site is b')).toEqual(['impossible']);
		expect(left('firmware > 4 and firmware < 4')).toEqual(['impossible']);
		expect(left('address in 10.0.0.0/8 and address in 11.0.0.0/8')).toEqual(['impossible']);
		expect(left('not any')).toEqual(['impossible']);
		expect(left('model ~ a* and not model ~ A*')).toEqual(['impossible']);
	});
	test('two hundred that each take much to work out end, whatever can be said of them', () => {
		const heavy = (n: number) =>
			Array.from({ length: 9 }, (_v, i) => `(name ~ a${n}-${i}* or serial ~ b${n}-${i}*)`).join(' and ');
		expect(left(...Array.from({ length: 200 }, (_v, n) => heavy(n)))).toHaveLength(200);
		expect(left(...Array.from({ length: 200 }, (_v, n) => `not (${heavy(n)})`))).toHaveLength(200);
		expect(
			left(...Array.from({ length: 200 }, (_v, n) => `address in 10.${n}.0.0/16`), 'address in 10.0.0.0/9').at(-1)
		).toBe(`none by ${Array.from({ length: 128 }, (_v, n) => n).join()}`);
	});
	test('forty of fifty parts each end as well', () => {
		const parts = (sign: string) =>
			Array.from({ length: 40 }, (_v, r) =>
				Array.from({ length: 50 }, (_w, i) => `${sign}name ~ x${r}-${i}*`).join(' or ')
			);
		expect(left(...parts(''))).toEqual(Array.from({ length: 40 }, () => 'some'));
		expect(left(...parts('not ')).slice(0, 2)).toEqual(['some', 'some']);
	});
	test('where it takes too long it is not claimed', () => {
		const many = Array.from({ length: 14 }, (_v, i) => `(name ~ a${i}* or serial ~ b${i}*)`).join(' and ');
		expect(left(many, `not (${many})`)[0]).toBe('unknown');
	});
	const leaf = fc.constantFrom(
		'address in 10.0.0.0/8',
		'address in 10.21.0.0/16',
		'address in 10.0.3.0/255.0.255.0',
		'firmware >= 4',
		'firmware < 4.2',
		'site is bergen',
		'site is halifax',
		'model is "Tern 7"',
		'model ~ T*',
		'team is x',
		'any'
	);
	const conditions = fc.array(
		fc
			.tuple(leaf, fc.constantFrom(' and ', ' or ', ' and not ', ' or not '), leaf)
			.map(([a, join, b]) => `${a}${join}${b}`),
		{ minLength: 1, maxLength: 5 }
	);
	test('what is said to be taken never decides, whatever device comes', () => {
		const some = fc.record({
			address: fc.constantFrom('10.21.3.4', '10.9.3.1', '11.0.0.1', '', '2001:db8::1'),
			firmware: fc.constantFrom('3.9.0', '4.0.0', '4.2.0', 'none'),
			site: fc.constantFrom('bergen', 'halifax', 'quay', null),
			model: fc.constantFrom('Tern 7', 'tern 7', 'Gull'),
			teams: fc.constantFrom([], ['x'])
		});
		fc.assert(
			fc.property(conditions, fc.array(some, { minLength: 20, maxLength: 20 }), (texts, devices) => {
				const rules = texts.map((t) => rule(t, 'all'));
				const said = leftTo(rules.map((r) => r.condition));
				const tests = rules.map((r) => compile(r.condition));
				for (const more of devices) {
					const first = tests.findIndex((t) => t(device(more)));
					if (first >= 0) expect(said[first]!.left).toMatch(/some|unknown/);
				}
			}),
			{ numRuns: 300 }
		);
	});
});

describe('starts that were', () => {
	const rules = [
		rule('address in 10.31.0.0/24', 'ships'),
		rule('model ~ Tern*', 'held'),
		rule('model is "Tern 7"', 'all'),
		rule('model ~ Q*', 'all')
	];
	const starts = [
		{ device: device({ serial: 'a' }), times: 20 },
		{ device: device({ serial: 'a', address: '10.31.0.7' }), times: 2 },
		{ device: device({ serial: 'b', model: 'Gull 1' }), times: 5 }
	];
	test('are counted by the rule that decides them, and those behind it', () => {
		const run = runThrough(starts, rules, tree);
		expect(run.rules).toEqual([
			{ starts: 2, devices: 1, behind: 0 },
			{ starts: 20, devices: 1, behind: 2 },
			{ starts: 0, devices: 0, behind: 22 },
			{ starts: 0, devices: 0, behind: 0 }
		]);
		expect(run.missed).toEqual({ starts: 5, devices: 1 });
		expect(run.fro).toEqual([{ serial: 'a', branches: ['held', 'ships'] }]);
		// A value within a pattern is not seen by sets; by what is known it is, and said so.
		expect(neverDecide(rules, run)).toEqual([
			{ rule: rules[2]!.id, sure: false, words: expect.stringContaining('as far as devices are known') }
		]);
	});
	test('say before a rule is saved who would stand elsewhere, and who would be let in no more', () => {
		const known = [
			{ device: device({ serial: 'a' }), stands: at('held', { rule: rules[1]!.id }) },
			{ device: device({ serial: 'b', model: 'Gull 1' }), stands: NEW },
			{ device: device({ serial: 'c', model: 'Gull 2', address: '10.31.0.9' }), stands: at('ships') }
		];
		const after = [rule('firmware >= 4.2', 'offices', { bySite: true }), rules[0]!];
		expect(compareRules(known, rules, after, tree)).toEqual({
			moves: [
				{ serial: 'a', from: 'held', to: 'bergen', rule: after[0]!.id },
				{ serial: 'b', from: null, to: 'bergen', rule: after[0]!.id },
				{ serial: 'c', from: 'ships', to: 'bergen', rule: after[0]!.id }
			],
			missed: []
		});
		expect(compareRules([{ device: device({ serial: 'n' }), stands: NEW }], rules, [rules[0]!], tree).missed).toEqual([
			'n'
		]);
	});
	test('tell of hands that a rule undoes at every start', () => {
		const known = [{ device: device({ serial: 'a' }), stands: at('ships', { byHand: 3 }) }];
		expect(handAgainstRule(known, [rules[1]!], tree)).toEqual([
			{ serial: 'a', rule: rules[1]!.id, from: 'ships', to: 'held' }
		]);
		expect(handAgainstRule(known, [{ ...rules[1]!, often: 'once' }], tree)).toEqual([]);
		expect(decide(device(), at('ships', { byHand: 3 }), [rules[1]!], tree, ready(rules)).branch).toBe('held');
	});
});
