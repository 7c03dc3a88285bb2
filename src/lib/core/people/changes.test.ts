import * as fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { LEAST_HELD, mayMove, movedBy, movedWords, type MemberChange } from './changes';

const teams: Record<string, string[]> = { anna: ['a'], bo: ['a', 'b'], cleo: ['c'] };
const teamsOf = (login: string) => teams[login] ?? null;
const to = (login: string, ...memberOf: string[]): MemberChange => ({ at: 1, login, memberOf });

describe('whom changes move', () => {
	test('are those who end elsewhere than they began, once each, whatever lay between', () => {
		expect(movedBy([to('bo', 'b'), to('anna', 'c'), to('bo', 'b', 'a')], teamsOf)).toEqual([
			{ login: 'anna', before: ['a'], after: ['c'] },
			{ login: 'bo', before: ['a', 'b'], after: ['b', 'a'] }
		]);
		expect(movedBy([to('anna', 'c'), to('anna', 'a')], teamsOf)).toEqual([]);
		expect(movedBy([to('nobody', 'c')], teamsOf)).toEqual([]);
	});
	test('the order of other teams is none, the home team is', () => {
		teams.dag = ['a', 'b', 'c'];
		expect(movedBy([to('dag', 'a', 'c', 'b')], teamsOf)).toEqual([]);
		expect(movedBy([to('dag', 'b', 'a', 'c')], teamsOf)).toHaveLength(1);
		delete teams.dag;
	});
	test('are never more than those whom changes name', () => {
		const some = fc.constantFrom('a', 'b', 'c');
		fc.assert(
			fc.property(
				fc.array(
					fc.record({
						at: fc.nat(),
						login: fc.constantFrom('anna', 'bo', 'cleo', 'eve'),
						memberOf: fc.uniqueArray(some, { minLength: 1 })
					})
				),
				(changes) => {
					const moved = movedBy(changes, teamsOf);
					expect(new Set(moved.map((m) => m.login)).size).toBe(moved.length);
					for (const m of moved) {
						expect(m.after).toEqual(changes.findLast((c) => c.login === m.login)!.memberOf);
						expect(movedWords(m, (t) => t)).not.toBe('');
					}
				}
			)
		);
	});
});

test('so many may move without anybody looking: a share of all, and never fewer than some', () => {
	expect(mayMove(1240, 0.05)).toBe(62);
	expect(mayMove(40, 0.05)).toBe(LEAST_HELD);
	expect(mayMove(0, 0.05)).toBe(LEAST_HELD);
	expect(mayMove(1240, 0)).toBe(LEAST_HELD);
});

test.each([
	[['a'], ['b'], 'from A to B'],
	[['a'], ['a', 'b'], 'also in B'],
	[['a', 'b', 'c'], ['a'], 'no longer in B, C'],
	[['a', 'b'], ['c', 'd'], 'from A to C; also in D; no longer in B'],
	[['a', 'b'], ['b'], 'from A to B']
])('from %j to %j is said as “%s”', (before, after, words) => {
	expect(movedWords({ login: 'x', before, after }, (t) => t.toUpperCase())).toBe(words);
});
