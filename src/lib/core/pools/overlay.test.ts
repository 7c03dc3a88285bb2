import { describe, expect, test } from 'vitest';
import { GB } from '../time/units';
import { ASSUMED_DAY, LEAST_OVERLAY, overlaySize, type OverlayNeed } from './overlay';

const need: OverlayNeed = {
	days: Array.from({ length: 100 }, (_, i) => (i + 1) * 0.5 * GB),
	perMachine: 1,
	measuredPerMachine: 1,
	keeps: 1,
	pageFile: 0,
	pageOnOverlay: true
};
const size = (change: Partial<OverlayNeed>) => overlaySize({ ...need, ...change }).value / GB;
const words = (change: Partial<OverlayNeed>) =>
	overlaySize({ ...need, ...change })
		.facts.map((f) => f.words)
		.join('; ');

describe('the size of an overlay', () => {
	test('holds what 99 of 100 days wrote, and a fifth more', () => {
		expect(size({})).toBeGreaterThanOrEqual(Math.ceil(49.5 * 1.2));
		expect(size({})).toBeLessThanOrEqual(Math.ceil(50 * 1.2));
		expect(words({})).toMatch(/99 of 100 machine-days wrote under .*, 100 machine-days measured/);
	});

	test('grows with the days that it keeps and the sessions on a machine', () => {
		expect(size({ keeps: 3 }) / size({})).toBeCloseTo(3, 1);
		expect(size({ perMachine: 6, measuredPerMachine: 3 }) / size({})).toBeCloseTo(2, 1);
		expect(words({ perMachine: 6, measuredPerMachine: 3 })).toMatch(/scaled from 3 sessions a machine to 6/);
	});

	test('counts the page file only where it lies on it', () => {
		expect(size({ pageFile: 10 * GB }) - size({})).toBe(12);
		expect(size({ pageFile: 10 * GB, pageOnOverlay: false })).toBe(size({}));
		expect(words({ pageFile: 10 * GB, pageOnOverlay: false })).toMatch(/on a disk of its own/);
	});

	test('is assumed, and says so, while too little was measured', () => {
		expect(overlaySize({ ...need, days: need.days.slice(0, 19), perMachine: 10 }).value).toBe(
			Math.ceil((ASSUMED_DAY * 10 * 1.2) / GB) * GB
		);
		expect(words({ days: [GB] })).toMatch(/only 1 machine-day was measured: 4 GB a session and day is assumed/);
		expect(words({ days: [] })).toMatch(/only 0 machine-days were measured/);
	});

	test('is never smaller than the least', () => {
		expect(overlaySize({ ...need, days: need.days.map(() => 1) }).value).toBe(LEAST_OVERLAY);
	});
});
