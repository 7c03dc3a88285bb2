import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { LONGEST_NAME, nameAt, numberIn, parsePattern, planNames, type NamingPattern } from './naming';

const pattern = fc.record({
	prefix: fc.constantFrom('bgo-br-', 'x', 'a1-'),
	width: fc.integer({ min: 1, max: 4 }),
	suffix: fc.constantFrom('', 'z', '-v'),
	letters: fc.boolean()
});

describe('a naming pattern', () => {
	test('loses nothing: every name gives its number back', () => {
		fc.assert(
			fc.property(pattern, fc.nat(), (p, n) => {
				const number = p.letters ? 1 + (n % 26 ** p.width) : n % 10 ** p.width;
				expect(numberIn(p, nameAt(p, number))).toBe(number);
			})
		);
	});

	test('never gives a name that is taken, never one twice, and accounts for all that were asked for', () => {
		fc.assert(
			fc.property(
				pattern,
				fc.integer({ min: 0, max: 60 }),
				fc.array(fc.nat({ max: 80 })),
				fc.integer({ min: 0, max: 30 }),
				(p, count, numbers, from) => {
					const taken = new Map(
						numbers
							.filter((n) => (p.letters ? n > 0 && n <= 26 ** p.width : n < 10 ** p.width))
							.map((n) => [nameAt(p, n), 'something'])
					);
					const plan = planNames(p, count, taken, from);
					expect(plan.names.length + plan.short).toBe(count);
					expect(new Set(plan.names).size).toBe(plan.names.length);
					for (const name of plan.names) expect(taken.has(name)).toBe(false);
					for (const clash of plan.clashes) expect(taken.has(clash.name)).toBe(true);
				}
			)
		);
	});

	test('counts by letters, too', () => {
		const p = parsePattern('bgo-@@') as NamingPattern;
		expect([1, 2, 27, 26 * 26].map((n) => nameAt(p, n))).toEqual(['bgo-aa', 'bgo-ab', 'bgo-ba', 'bgo-zz']);
		expect(planNames(p, 3, new Map([['bgo-ab', 'an account']])).names).toEqual(['bgo-aa', 'bgo-ac', 'bgo-ad']);
		expect(planNames(p, 3, new Map(), 675)).toMatchObject({ names: ['bgo-zy', 'bgo-zz'], short: 1 });
		expect([numberIn(p, 'bgo-ba'), numberIn(p, 'bgo-a1'), numberIn(p, 'bgo-a')]).toEqual([27, null, null]);
		expect(() => nameAt(p, 0)).toThrow(RangeError);
	});

	test('does not find numbers in names of another pattern', () => {
		const p = parsePattern('bgo-br-###') as NamingPattern;
		expect(numberIn(p, 'bgo-br-07')).toBeNull();
		expect(numberIn(p, 'hfx-br-007')).toBeNull();
		expect(numberIn(p, 'bgo-br-0x7')).toBeNull();
	});

	test.each([
		['desk', /Add a run/],
		['a#b#', /side by side/],
		['a#@', /side by side/],
		['Desk-##', /small letters/],
		['-desk-#', /hyphen/],
		['very-long-name-###', new RegExp(String(LONGEST_NAME))]
	])('%s is refused with what is wrong', (text, words) => {
		const parsed = parsePattern(text);
		expect('problem' in parsed && parsed.problem).toMatch(words);
	});

	test('a number too large for its width is an error', () => {
		expect(() => nameAt({ prefix: 'a', width: 2, suffix: '' }, 100)).toThrow(RangeError);
	});
});
