import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { LONGEST_NAME, nameAt, numberIn, parsePattern, planNames, type NamingPattern } from './naming';

const pattern = fc.record({
	prefix: fc.constantFrom('bgo-br-', 'x', 'a1-'),
	width: fc.integer({ min: 1, max: 4 }),
	suffix: fc.constantFrom('', 'z', '-v')
});

describe('a naming pattern', () => {
	test('loses nothing: every name gives its number back', () => {
		fc.assert(
			fc.property(pattern, fc.nat(), (p, n) => {
				const number = n % 10 ** p.width;
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
					const taken = new Map(numbers.filter((n) => n < 10 ** p.width).map((n) => [nameAt(p, n), 'something']));
					const plan = planNames(p, count, taken, from);
					expect(plan.names.length + plan.short).toBe(count);
					expect(new Set(plan.names).size).toBe(plan.names.length);
					for (const name of plan.names) expect(taken.has(name)).toBe(false);
					for (const clash of plan.clashes) expect(taken.has(clash.name)).toBe(true);
				}
			)
		);
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
