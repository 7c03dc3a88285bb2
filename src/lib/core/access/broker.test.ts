import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
	firstWithRoom,
	goesOnIn,
	landAll,
	mayHaveAnother,
	servingPools,
	SHORT_WAY,
	waitsLonger,
	type Crowd,
	type OpenSession,
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

describe('the session in which somebody goes on', () => {
	const desk = { publication: 'desk', machine: 'quay-01', pool: 'quay', known: true, up: true };
	const forApp = (session: OpenSession, serving: string[]) => goesOnIn([session], 'charts', true, serving);
	test('is for an app one whose pool serves it, on a machine that is up', () => {
		expect(forApp(desk, ['quay']).value).toBe(desk);
		const down = forApp({ ...desk, up: false }, ['quay']);
		expect(down).toMatchObject({ value: null, facts: [{ words: expect.stringMatching(/its machine is not up$/) }] });
		expect(forApp(desk, ['isle']).facts[0]!.words).toMatch(/its pool, quay, does not serve the app/);
		expect(forApp({ ...desk, known: false }, []).facts[0]!.words).toMatch(/its pool is unknown/);
	});
	test('is for a desktop one of the same publication alone', () => {
		expect(goesOnIn([desk], 'desk', false, [])).toMatchObject({ value: desk, facts: [{ side: 'for' }] });
		expect(goesOnIn([desk], 'other', false, ['quay'])).toEqual({ value: null, facts: [] });
	});
	test('is the newest of several', () => {
		const later = { ...desk, machine: 'quay-02' };
		expect(goesOnIn([desk, later], 'desk', false, []).value).toBe(later);
		expect(goesOnIn([later, { ...desk, publication: 'else' }], 'desk', false, []).value).toBe(later);
	});
});

describe('where many land at once', () => {
	const way = () => 200;
	const crowd = (site: string, people: number, keep: [string, number][] = []): Crowd => ({
		site,
		name: site.toUpperCase(),
		people,
		keep: new Map(keep)
	});
	test('those at one site fill their pools in the order of the broker, and the rest waits', () => {
		const pools = [pool('b', 'quay'), pool('a', 'quay')];
		const { value, facts } = landAll([crowd('quay', 9)], pools, way, (p) => ({
			seats: p.id === 'b' ? 5 : 2,
			own: 0,
			unkept: 0
		}));
		expect(value).toEqual([
			{
				site: 'quay',
				lands: [
					{ pool: 'b', people: 5 },
					{ pool: 'a', people: 2 }
				],
				wait: 2
			}
		]);
		expect(facts).toMatchObject([
			{ words: 'were all 9 people at QUAY to open it now: 5 in b, 2 in a, 2 would wait', side: 'against' }
		]);
	});
	test('those of several sites compete for the seats of a pool that serves both', () => {
		const { value } = landAll([crowd('isle', 4), crowd('mole', 4)], [pool('a', 'quay')], way, () => ({
			seats: 6,
			own: 0,
			unkept: 0
		}));
		expect(value.map((l) => l.wait)).toEqual([0, 2]);
	});
	test('a personal pool has a machine for those who keep one, and for as many more as nobody keeps', () => {
		const mine = [pool('mine', 'quay', 'personal')];
		const room = () => ({ seats: 0, own: 0, unkept: 2 });
		expect(landAll([crowd('quay', 5, [['mine', 2]])], mine, way, room).value[0]).toMatchObject({ wait: 1 });
		expect(landAll([crowd('quay', 1)], mine, way, room).facts[0]!.words).toBe(
			'were the one person at QUAY to open it now: a machine of mine'
		);
		expect(landAll([crowd('quay', 1)], [], way, room).facts[0]!.words).toMatch(/: they would wait$/);
	});
	test('is what comes of it when they come one by one', () => {
		const site = fc.constantFrom('a', 'b', 'c');
		fc.assert(
			fc.property(
				fc.uniqueArray(fc.record({ id: fc.constantFrom('p', 'q', 'r', 's'), site, seats: fc.nat(8) }), {
					selector: (p) => p.id
				}),
				fc.uniqueArray(fc.record({ site, people: fc.integer({ min: 1, max: 9 }) }), { selector: (c) => c.site }),
				fc.nat(80),
				(given, people, ms) => {
					const pools = given.map((p) => ({ ...pool(p.id, p.site), seats: p.seats }));
					const at = (p: (typeof pools)[number]) => ({ seats: p.seats, own: 0, unkept: 0 });
					const { value } = landAll(
						people.map((c) => crowd(c.site, c.people)),
						pools,
						() => ms,
						at
					);
					const left = pools.map((p) => ({ ...p }));
					people.forEach((c, i) => {
						const lands = new Map<string, number>();
						let wait = 0;
						for (let n = 0; n < c.people; n++) {
							const serving = servingPools(c.site, left, () => ms).value;
							const p = firstWithRoom(serving, at).value;
							if (p) {
								p.seats--;
								lands.set(p.id, (lands.get(p.id) ?? 0) + 1);
							} else wait++;
						}
						expect(value[i]!.wait).toBe(wait);
						expect(new Map(value[i]!.lands.map((l) => [l.pool, l.people]))).toEqual(lands);
					});
				}
			)
		);
	});
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
