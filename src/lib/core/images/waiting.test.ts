import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { HOUR, MINUTE } from '../time/units';
import { lastSignOut } from './waiting';

describe('until the last has signed out', () => {
	const lengths = Array.from({ length: 100 }, (_v, i) => (i + 1) * 6 * MINUTE);

	test('nobody there: at once', () => expect(lastSignOut([], lengths)).toEqual({ middle: 0, ninety: 0 }));
	test('one that has just begun: the middle of the past, and its nine in ten', () => {
		const { middle, ninety } = lastSignOut([0], lengths);
		expect(middle / HOUR).toBeCloseTo(5, 1);
		expect(ninety / HOUR).toBeCloseTo(9, 1);
	});
	test('one that has lasted long: only those that lasted longer tell', () => {
		const { middle } = lastSignOut([8 * HOUR], lengths);
		expect(middle / HOUR).toBeCloseTo(1, 1);
	});
	test('of many, the last is later than any one of them', () => {
		const one = lastSignOut([0], lengths);
		const ten = lastSignOut(Array(10).fill(0), lengths);
		expect(ten.middle).toBeGreaterThan(one.middle);
		// All ten within t: F(t)^10 = ½, F = 0.933.
		expect(ten.middle / HOUR).toBeCloseTo(9.4, 0);
	});
	test('without a past, or longer than all of it, a guess that is finite', () => {
		expect(lastSignOut([0], []).middle / HOUR).toBeCloseTo(4 * Math.LN2, 1);
		expect(lastSignOut([99 * HOUR], lengths).ninety).toBeGreaterThan(0);
		expect(Number.isFinite(lastSignOut([99 * HOUR], lengths).ninety)).toBe(true);
	});
	test('more people, or a greater share of cases, never come sooner', () => {
		const times = fc.array(fc.integer({ min: 0, max: 12 * HOUR }), { minLength: 1, maxLength: 8 });
		fc.assert(
			fc.property(times, times, fc.integer({ min: 0, max: 12 * HOUR }), (elapsed, past, more) => {
				const a = lastSignOut(elapsed, past);
				const b = lastSignOut([...elapsed, more], past);
				expect(a.ninety).toBeGreaterThanOrEqual(a.middle);
				expect(b.middle).toBeGreaterThanOrEqual(a.middle - 2000);
				expect(b.ninety).toBeGreaterThanOrEqual(a.ninety - 2000);
			})
		);
	});
});
