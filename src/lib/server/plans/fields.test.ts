import * as v from 'valibot';
import { describe, expect, test } from 'vitest';
import { DAY, HOUR } from '$lib/core/time/units';
import { lasting, percent, whole, wholeOrder } from './fields';

const wrong = (schema: v.GenericSchema, value: unknown): string | null => {
	const parsed = v.safeParse(schema, value);
	return parsed.success ? null : parsed.issues[0].message;
};

describe('fields that many plans have', () => {
	test.each([
		[1, null],
		[60, null],
		[0, 'At least 1.'],
		[61, 'At most 60.'],
		[2.5, 'Write the sessions as a whole number.'],
		['4', 'Write the sessions as a number.'],
		[Number.NaN, 'Write the sessions as a number.'],
		[undefined, 'Write the sessions as a number.']
	])('a whole number: %j', (value, words) => {
		expect(wrong(whole(1, 60, 'the sessions'), value)).toBe(words);
	});

	test.each([
		[10, null],
		[100, null],
		[12.5, null],
		[9.9, 'At least 10 %.'],
		[101, 'At most 100 %.'],
		['half', 'Write a share in percent.']
	])('a share: %j', (value, words) => {
		expect(wrong(percent(10), value)).toBe(words);
	});

	test('a share may end earlier', () => {
		expect(wrong(percent(1, 95), 96)).toBe('At most 95 %.');
	});

	test.each([
		[0, null],
		[DAY, null],
		[-1, 'Not less than nothing.'],
		[DAY + HOUR, /^At most (1 d|24 h)\.$/],
		[null, 'Write a duration.']
	])('a duration: %j', (value, words) => {
		const said = wrong(lasting(DAY), value);
		if (words instanceof RegExp) expect(said).toMatch(words);
		else expect(said).toBe(words);
	});
});

describe('a whole order', () => {
	test('is completed by what it leaves out, as that stood', () => {
		expect(wholeOrder(['c'], ['a', 'b', 'c'], 'thing')).toEqual(['c', 'a', 'b']);
		expect(wholeOrder([], ['a', 'b'], 'thing')).toEqual(['a', 'b']);
	});
	test('knows what is strange and what stands twice', () => {
		expect(() => wholeOrder(['d'], ['a'], 'thing')).toThrow('There is no thing called d.');
		expect(() => wholeOrder(['a', 'a'], ['a'], 'thing')).toThrow('A thing stands twice.');
	});
});
