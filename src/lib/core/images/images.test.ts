import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { chanceOver, expectDuration } from './duration';
import { quantile } from '../measures/quantile';
import { byVersion, compareContents, isVersion, proposeNumber } from './versions';

describe('expected duration', () => {
	test('one step: its own quantiles', () => {
		const e = expectDuration([{ runs: [10, 20, 30], fallback: 0 }]);
		expect(e.middle).toBeCloseTo(20, 0);
		expect(e.ninety).toBeGreaterThan(26);
		expect(e.runs).toBe(3);
	});
	test('sums distributions: nine in ten of the sum lies below the sum of nine in tens', () => {
		const runs = Array.from({ length: 40 }, (_, i) => 10 + i);
		const step = { runs, fallback: 0 };
		const sum = expectDuration([step, step, step, step]);
		expect(sum.mean).toBeCloseTo(4 * 29.5, -1);
		expect(sum.ninety).toBeLessThan(4 * quantile(runs, 0.9));
		expect(sum.ninety).toBeGreaterThan(sum.middle);
	});
	test('the same runs answer alike; none fall back, and say so', () => {
		const steps = [
			{ runs: [], fallback: 60 },
			{ runs: [5], fallback: 9 }
		];
		expect(expectDuration(steps)).toEqual(expectDuration(steps));
		expect(expectDuration(steps)).toMatchObject({ runs: 0 });
		expect(expectDuration(steps).middle).toBeCloseTo(65, 0);
	});
	test('the fewer runs there are, the wider the range; the mean stays that of the runs', () => {
		const few = expectDuration([{ runs: [100, 110, 120], fallback: 0 }]);
		const many = expectDuration([
			{ runs: Array.from({ length: 60 }, (_v, i) => [100, 110, 120][i % 3]!), fallback: 0 }
		]);
		expect(few.ninety).toBeGreaterThan(many.ninety);
		expect(few.mean).toBeCloseTo(110, 0);
		expect(many.mean).toBeCloseTo(110, 0);
		const lone = expectDuration([{ runs: [100], fallback: 0 }]);
		expect(lone.middle).toBeCloseTo(100, 0);
		expect(lone.ninety).toBeGreaterThan(110);
		expect(expectDuration([{ runs: [50, 50, 50], fallback: 0 }])).toMatchObject({ middle: 50, ninety: 50, mean: 50 });
	});
	test('keeps its order, never falls under a quarter of the fastest runs, and the chance follows the limit', () => {
		const history = fc
			.uniqueArray(fc.integer({ min: 1, max: 5000 }), { minLength: 1, maxLength: 9 })
			.map((runs) => ({ runs, fallback: 0 }));
		fc.assert(
			fc.property(fc.array(history, { minLength: 1, maxLength: 6 }), (steps) => {
				const e = expectDuration(steps);
				const least = steps.reduce((n, s) => n + Math.min(...s.runs) / 4, 0);
				expect(e.middle).toBeGreaterThanOrEqual(least - 1e-6);
				expect(e.ninety).toBeGreaterThanOrEqual(e.middle);
				expect(chanceOver(steps, least - 1)).toBe(1);
				expect(chanceOver(steps, 1e9)).toBe(0);
				// Half and half about the middle; where many draws lie at the least there can be, all of those are the middle.
				expect(chanceOver(steps, e.middle)).toBeLessThan(0.51);
				expect(chanceOver(steps, e.middle - 1e-6)).toBeGreaterThan(0.49);
			}),
			{ examples: [[[{ runs: [41, 2, 3, 1], fallback: 0 }]]] }
		);
	});
});

describe('versions', () => {
	test('are compared by the semantic-version rules', () => {
		expect(['3.10.0', '3.2.0', '3.1.0-sea.2', '3.1.0'].sort(byVersion)).toEqual([
			'3.1.0-sea.2',
			'3.1.0',
			'3.2.0',
			'3.10.0'
		]);
		expect([isVersion('3.1'), isVersion('v3.1.0'), isVersion('3.1.0-sea.2')]).toEqual([false, false, true]);
	});
	test('the next number follows from what changed, and is never one that is taken', () => {
		expect(proposeNumber('3.1.4', 'updates', new Set())).toBe('3.1.5');
		expect(proposeNumber('3.1.4', 'steps', new Set(['3.2.0']))).toBe('3.3.0');
		expect(proposeNumber('3.1.4', 'source', new Set())).toBe('4.0.0');
		expect(proposeNumber(null, 'steps', new Set())).toBe('1.0.0');
	});
	test('contents compare part by part, largest first', () => {
		const c = (name: string, version: string, size: number) => ({ name, version, size });
		expect(
			compareContents(
				[c('a', '1', 10), c('b', '1', 5), c('gone', '1', 3)],
				[c('a', '1', 10), c('b', '2', 9), c('new', '1', 20)]
			)
		).toEqual([
			{ name: 'new', before: null, after: '1', bytes: 20 },
			{ name: 'b', before: '1', after: '2', bytes: 4 },
			{ name: 'gone', before: '1', after: null, bytes: -3 }
		]);
	});
});
