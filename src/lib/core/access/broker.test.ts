import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
	firstWithRoom,
	mayHaveAnother,
	servingPools,
	sharesSession,
	SHORT_WAY,
	waitsLonger,
	type ServingPool
} from './broker';

const pool = (id: string, site: string, assignment: ServingPool['assignment'] = 'shared'): ServingPool => ({
	id,
	site,
	assignment
});

describe('the pools that may serve somebody', () => {
	const all = [pool('far', 'isle'), pool('own', 'quay'), pool('near', 'mole'), pool('mine', 'quay', 'personal')];
	const way = (to: string) => (to === 'mole' ? SHORT_WAY : 200);
	test('are those where they sit, then the short way, never the long one where a shared one is at hand', () => {
		const { value, facts } = servingPools('quay', all, way);
		expect(value.map((p) => p.id)).toEqual(['own', 'mine', 'near']);
		expect(facts.find((f) => f.about!.id === 'far')).toMatchObject({
			side: 'against',
			words: 'far is passed over: 200 ms away, and one that is shared is where they sit'
		});
		expect(facts).toHaveLength(all.length);
	});
	test('are all of them where nothing shared is at hand, in the order of the publication', () => {
		const some = all.filter((p) => p.id !== 'own');
		expect(servingPools('quay', some, way).value.map((p) => p.id)).toEqual(['mine', 'far', 'near']);
		expect(servingPools('nowhere', all, way).value).toEqual(all);
	});
	test('each has its reason, whatever the estate is', () => {
		const site = fc.constantFrom('a', 'b', 'c');
		fc.assert(
			fc.property(
				site,
				fc.uniqueArray(
					fc.record({
						id: fc.string({ minLength: 1 }),
						site,
						assignment: fc.constantFrom('shared' as const, 'personal' as const)
					}),
					{ selector: (p) => p.id }
				),
				fc.nat(300),
				(from, pools, ms) => {
					const { value, facts } = servingPools(from, pools, () => ms);
					expect(facts).toHaveLength(pools.length);
					expect(facts.filter((f) => f.side === 'for')).toHaveLength(value.length);
					// Whoever is served anywhere is served at their own site first.
					const own = value.findLastIndex((p) => p.site === from);
					expect(value.slice(0, own + 1).every((p) => p.site === from)).toBe(true);
					if (pools.length) expect(value.length).toBeGreaterThan(0);
				}
			)
		);
	});
});

describe('the first pool with room', () => {
	const room = (seats: number, own = 0, unkept = 0) => ({ seats, own, unkept });
	const mine = pool('mine', 'quay', 'personal');
	const shared = pool('shared', 'quay');
	test('has a seat, a machine that they keep, or one that is nobody’s', () => {
		expect(firstWithRoom([mine, shared], (p) => (p === mine ? room(0) : room(2))).value).toBe(shared);
		expect(firstWithRoom([mine, shared], (p) => (p === mine ? room(0, 1) : room(2))).value).toBe(mine);
		expect(firstWithRoom([mine, shared], (p) => (p === mine ? room(0, 0, 3) : room(2))).value).toBe(mine);
	});
	test('is none where all are taken, and each says so', () => {
		const { value, facts } = firstWithRoom([mine, shared], () => room(0));
		expect(value).toBeNull();
		expect(facts.map((f) => [f.words, f.side])).toEqual([
			['mine has no working machine left that nobody keeps', 'against'],
			['0 seats are free in shared', 'against']
		]);
		expect(firstWithRoom([], () => room(1)).value).toBeNull();
	});
});

test('an app opens in a session whose pool serves it, on a machine that is up', () => {
	const session = { machine: 'quay-01', pool: 'quay', known: true, up: true };
	expect(sharesSession(session, ['quay']).value).toBe(true);
	expect(sharesSession({ ...session, up: false }, ['quay']).value).toBe(false);
	expect(sharesSession(session, ['isle']).facts[0]!.words).toMatch(/its pool, quay, does not serve the app/);
	expect(sharesSession({ ...session, known: false }, []).facts[0]!.words).toMatch(/its pool is unknown/);
});

test('another machine is had up to what the most generous grant gives, and one at least', () => {
	expect(mayHaveAnother([], [])).toMatchObject({ value: true, most: 1 });
	expect(mayHaveAnother(['a'], [1])).toMatchObject({ value: false, most: 1 });
	expect(mayHaveAnother(['a'], [1, 3, 2])).toMatchObject({ value: true, most: 3 });
	expect(mayHaveAnother(['a', 'b'], [2]).facts[0]!.words).toBe('they have a, b already; the grant gives 2');
});

test('who waits longest is served first, and of two of the same moment who came first', () => {
	const by = (a: { since: number; id: number }, b: { since: number; id: number }) => (waitsLonger(a, b) ? -1 : 1);
	expect(
		[
			{ since: 5, id: 2 },
			{ since: 3, id: 9 },
			{ since: 5, id: 1 }
		]
			.sort(by)
			.map((w) => w.id)
	).toEqual([9, 1, 2]);
});
