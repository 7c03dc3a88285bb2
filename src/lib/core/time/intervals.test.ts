import fc from 'fast-check';
import { expect, test } from 'vitest';
import { countOver, firstOverlap } from './intervals';
import { FOREVER } from './units';

const interval = fc
	.tuple(fc.integer({ min: -50, max: 150 }), fc.integer({ min: 1, max: 80 }), fc.boolean())
	.map(([since, length, open]) => ({ since, until: open ? FOREVER : since + length }));

test('the sweep counts what counting one by one would', () => {
	fc.assert(
		fc.property(fc.array(interval, { maxLength: 30 }), fc.integer({ min: 1, max: 9 }), (intervals, step) => {
			const counts = countOver(intervals, 0, step, 12);
			const naive = counts.map((_c, i) => intervals.filter((x) => x.since <= i * step && x.until > i * step).length);
			expect(counts).toEqual(naive);
		})
	);
});

test('weights count as many', () => {
	expect(
		countOver(
			[
				{ since: 0, until: 2, weight: 5 },
				{ since: 1, until: FOREVER }
			],
			0,
			1,
			4
		)
	).toEqual([5, 6, 1, 1]);
});

test('an overlap is found, touching is none', () => {
	expect(
		firstOverlap([
			{ since: 0, until: 5 },
			{ since: 5, until: 9 }
		])
	).toBeNull();
	expect(
		firstOverlap([
			{ since: 4, until: 9 },
			{ since: 0, until: 5 }
		])
	).toEqual([
		{ since: 0, until: 5 },
		{ since: 4, until: 9 }
	]);
});
