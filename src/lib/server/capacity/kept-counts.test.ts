import fc from 'fast-check';
import { beforeEach, describe, expect, test } from 'vitest';
import { DAY, HOUR } from '$lib/core/time/units';
import { openDb, type Db } from '../db';
import { keptCounts, STEP } from './kept-counts';

/** A past whose counts are known: each step counts its own place. */
const truth = (from: number, bins: number) => Array.from({ length: bins }, (_v, i) => from / STEP + i);

let db: Db;
let asked: { from: number; bins: number }[];
beforeEach(() => {
	db = openDb(':memory:');
	asked = [];
});
const count = (from: number, bins: number) => {
	asked.push({ from, bins });
	return truth(from, bins);
};
const NOW = 20_000 * DAY;
const ask = (now: number, key: string | null = 'k', back = DAY) =>
	keptCounts(db, key, Math.floor(now / STEP) * STEP - back, back / STEP + 1, now, count);

describe('counts of the past', () => {
	test('are asked for once; later only the steps that have come since, and those that may not have settled', () => {
		ask(NOW);
		ask(NOW + STEP);
		expect(asked[0]!.bins).toBe(DAY / STEP + 1);
		expect(asked[1]!.bins).toBeLessThan(12);
		expect(asked[1]!.from).toBeGreaterThan(NOW - 3 * HOUR);
	});
	test('of another question, or another database, are not shared', () => {
		ask(NOW);
		ask(NOW, 'another');
		db = openDb(':memory:');
		ask(NOW);
		expect(asked.map((a) => a.bins)).toEqual(Array(3).fill(DAY / STEP + 1));
	});
	test('without a key are counted anew each time', () => {
		ask(NOW, null);
		ask(NOW, null);
		expect(asked).toHaveLength(2);
	});
	test('that further back are asked for than are kept are counted whole', () => {
		ask(NOW);
		expect(ask(NOW, 'k', 2 * DAY)).toEqual(truth(NOW - 2 * DAY, (2 * DAY) / STEP + 1));
	});
	test('that change while they settle are not kept', () => {
		let late = 0;
		const restless = (from: number, bins: number) => truth(from, bins).map((n) => n + late);
		const from = NOW - DAY;
		const bins = DAY / STEP + 1;
		keptCounts(db, 'late', from, bins, NOW, restless);
		late = 1000;
		const second = keptCounts(db, 'late', from, bins, NOW, restless);
		expect(second[0]).toBe(from / STEP);
		expect(second.at(-1)).toBe(NOW / STEP + 1000);
	});
	test('are right whatever moments they are asked at, forward or back', () => {
		fc.assert(
			fc.property(
				fc.array(fc.record({ hours: fc.integer({ min: -40, max: 40 }), back: fc.constantFrom(6, 24, 30) }), {
					maxLength: 12
				}),
				(asks) => {
					db = openDb(':memory:');
					for (const { hours, back } of asks) {
						const now = NOW + hours * HOUR + 7 * 60_000;
						const from = Math.floor(now / STEP) * STEP - back * HOUR;
						const bins = (back * HOUR) / STEP + 1;
						expect(keptCounts(db, 'k', from, bins, now, truth)).toEqual(truth(from, bins));
					}
					db.close();
				}
			),
			{ numRuns: 40 }
		);
	});
});
