import fc from 'fast-check';
import { expect, test } from 'vitest';
import { gatherFlags } from './flags';

const flag = (at: number, words = `change at ${at}`, more = {}) => ({
	at,
	words,
	failed: false,
	ahead: false,
	job: null as number | null,
	...more
});

test('flags that lie close together become one that says how many', () => {
	expect(gatherFlags([flag(50, 'Late', { job: 7 }), flag(0, 'First'), flag(8), flag(10)], 10)).toEqual([
		{
			...{ at: 0, until: 10, count: 3, words: '3 changes: First, and 2 more', failed: false, ahead: false, job: null },
			of: [
				{ at: 0, words: 'First', job: null },
				{ at: 8, words: 'change at 8', job: null },
				{ at: 10, words: 'change at 10', job: null }
			]
		},
		{
			...{ at: 50, until: 50, count: 1, words: 'Late', failed: false, ahead: false, job: 7 },
			of: [{ at: 50, words: 'Late', job: 7 }]
		}
	]);
});

test('what failed, and what lies ahead, stays apart', () => {
	const groups = gatherFlags([flag(0), flag(1, 'x', { failed: true }), flag(2, 'y', { ahead: true }), flag(3)], 10);
	expect(groups.map((g) => [g.at, g.count])).toEqual([
		[0, 2],
		[1, 1],
		[2, 1]
	]);
});

test('none is lost, and none twice as near as that begins a group', () => {
	fc.assert(
		fc.property(fc.array(fc.nat(1000)), fc.nat(50), (times, within) => {
			const groups = gatherFlags(
				times.map((t) => flag(t)),
				within
			);
			expect(groups.reduce((n, g) => n + g.count, 0)).toBe(times.length);
			for (const g of groups) expect(g.of).toHaveLength(Math.min(20, g.count));
			groups.slice(1).forEach((g, i) => expect(g.at - groups[i]!.at).toBeGreaterThan(within));
		})
	);
});
