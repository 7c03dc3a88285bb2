import { describe, expect, test } from 'vitest';
import fc from 'fast-check';
import {
	COMPARES,
	compile,
	conditionText,
	EQUAL_FIELDS,
	LIKE_FIELDS,
	MOST,
	patternOf,
	readCondition,
	whyNot,
	type Condition,
	type Device
} from './condition';

const device = (more: Partial<Device> = {}): Device => ({
	serial: 'KT-2207',
	name: 'bgo-desk-12',
	model: 'Tern 5',
	hardware: '52:54:00:1a:2b:3c',
	firmware: '4.1.9',
	address: '10.21.4.77',
	site: 'bergen',
	teams: ['charts', 'survey'],
	...more
});
const read = (text: string): Condition => {
	const c = readCondition(text);
	if (!('is' in c)) throw new Error(`${c.at}: ${c.words}`);
	return c;
};
const fits = (text: string, more: Partial<Device> = {}) => compile(read(text))(device(more));
const problem = (text: string) => {
	const c = readCondition(text);
	return 'is' in c ? null : [c.at, c.words];
};

describe('a condition', () => {
	test('holds by addresses, patterns, values, versions, and what joins them', () => {
		expect(fits('address in 10.21.0.0/21')).toBe(true);
		expect(fits('address in 10.21.0.0/22')).toBe(false);
		expect(fits('address in 10.0.4.0/255.0.255.0')).toBe(true);
		expect(fits('address in 10.0.5.0/255.0.255.0')).toBe(false);
		expect(fits('address in 2001:db8::/32', { address: '2001:db8::7' })).toBe(true);
		expect(fits('address in 10.21.0.0/16', { address: '' })).toBe(false);
		expect(fits('model ~ tern* and firmware < 4.2')).toBe(true);
		expect(fits('firmware >= 4.1.9 and firmware < 4.1.10')).toBe(true);
		expect(fits('firmware >= 4')).toBe(true);
		expect(fits('firmware >= 0', { firmware: 'unknown' })).toBe(false);
		expect(fits('not firmware >= 0', { firmware: 'unknown' })).toBe(true);
		expect(fits('serial ~ KT-22?7')).toBe(true);
		expect(fits('model is "tern 5"')).toBe(true);
		expect(fits('team is survey and site is bergen')).toBe(true);
		expect(fits('team is finance or not (site is halifax or model ~ Gull*)')).toBe(true);
		expect(fits('any device', { address: '', site: null, teams: [] })).toBe(true);
		// And binds closer than or.
		expect(fits('site is halifax and site is hobart or site is bergen')).toBe(true);
	});
	test('is told what is wrong where it is wrong', () => {
		expect(problem('')).toEqual([0, 'Here a field is missing, such as address, model or site.']);
		expect(problem('colour is red')).toEqual([0, expect.stringMatching(/^There is no field colour\./)]);
		expect(problem('address in 10.21.0.0/99')).toEqual([
			11,
			'10.21.0.0/99 is no range of addresses such as 10.21.0.0/22.'
		]);
		expect(problem('address in')).toEqual([10, 'Here a range such as 10.21.0.0/22 is missing.']);
		expect(problem('firmware ~ 4')).toEqual([9, 'Write: firmware >= 4.2.']);
		expect(problem('firmware >= new')).toEqual([12, 'new is no version such as 4.2.1.']);
		expect(problem('site ~ b*')).toEqual([5, 'Write: site is X.']);
		expect(problem('(site is bergen')).toEqual([15, 'A bracket is not closed.']);
		expect(problem('site is bergen model is x')).toEqual([15, 'Here and, or, or the end is expected.']);
		expect(problem('model is "Tern')).toEqual([9, 'The quotation mark is not closed.']);
		expect(problem('model is ""')).toEqual([9, 'Here what the model is is missing.']);
		expect(problem('model is and')).toEqual([9, 'Here what the model is is missing.']);
		expect(problem(`${'('.repeat(30)}any${')'.repeat(30)}`)![1]).toBe(`At most ${MOST.depth} brackets in each other.`);
		expect(problem(Array(101).fill('any').join(' or '))![1]).toBe(`At most ${MOST.parts} parts.`);
		expect(problem('x'.repeat(5000))![1]).toBe(`At most ${MOST.signs} signs.`);
		expect(problem('not '.repeat(400))![1]).toBe(`At most ${MOST.depth} brackets in each other.`);
	});
	test('whatever is written is read or refused, and patterns take no longer for being odd', () => {
		fc.assert(fc.property(fc.string({ maxLength: 200 }), (text) => void readCondition(text)));
		expect(patternOf(`${'*a'.repeat(200)}b`)('a'.repeat(2000))).toBe(false);
		const plain = (text: string, pattern: string): boolean =>
			pattern === ''
				? text === ''
				: pattern[0] === '*'
					? plain(text, pattern.slice(1)) || (text !== '' && plain(text.slice(1), pattern))
					: text !== '' && (pattern[0] === '?' || pattern[0] === text[0]) && plain(text.slice(1), pattern.slice(1));
		const signs = (most: number, of: string) =>
			fc.array(fc.constantFrom(...of), { maxLength: most }).map((x) => x.join(''));
		fc.assert(
			fc.property(
				signs(8, 'ab'),
				signs(6, 'ab*?'),
				(text, pattern) => patternOf(pattern)(text) === plain(text, pattern)
			)
		);
		expect(patternOf('a.c')('abc')).toBe(false);
	});
	const leaf: fc.Arbitrary<Condition> = fc.oneof(
		fc.constant<Condition>({ is: 'any' }),
		fc
			.constantFrom('10.21.0.0/22', '10.0.3.0/255.0.255.0', '2001:db8::/32')
			.map((range): Condition => ({ is: 'address', range })),
		fc
			.record({ of: fc.constantFrom(...LIKE_FIELDS), pattern: fc.constantFrom('Tern*', 'KT-??', 'a b', 'and') })
			.map((x): Condition => ({ is: 'like', ...x })),
		fc
			.record({
				of: fc.constantFrom(...EQUAL_FIELDS),
				value: fc.constantFrom('Tern 5', 'bergen', 'or', 'not', 'x(y)', 'ä')
			})
			.map((x): Condition => ({ is: 'equals', ...x })),
		fc
			.record({ compare: fc.constantFrom(...COMPARES), version: fc.constantFrom('4', '4.2', '4.1.9') })
			.map((x): Condition => ({ is: 'firmware', ...x }))
	);
	const tree: fc.Arbitrary<Condition> = fc.letrec<{ node: Condition }>((tie) => ({
		node: fc.oneof(
			{ maxDepth: 4 },
			leaf,
			tie('node').map((of): Condition => ({ is: 'not', of })),
			fc.record({
				is: fc.constantFrom('all' as const, 'some' as const),
				of: fc.array(tie('node'), { minLength: 2, maxLength: 3 })
			})
		)
	})).node;
	test('written out reads back to what holds of the same devices, and says why it does not', () => {
		fc.assert(
			fc.property(
				tree,
				fc.record({
					model: fc.constantFrom('Tern 5', 'Gull', 'and'),
					site: fc.constantFrom('bergen', null, 'or'),
					address: fc.constantFrom('10.21.1.1', '10.9.3.9', '')
				}),
				(c, more) => {
					const d = device(more);
					const again = readCondition(conditionText(c));
					if (!('is' in again)) throw new Error(`${conditionText(c)}: ${again.words}`);
					expect(compile(again)(d)).toBe(compile(c)(d));
					expect(whyNot(c, d) === null).toBe(compile(c)(d));
				}
			),
			{ numRuns: 300 }
		);
	});
});
