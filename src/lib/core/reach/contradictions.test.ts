import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { contradictions, type Relying } from './contradictions';
import { reach } from './decide';
import type { Circumstances } from './rules';
import { ada, bo, book, ground, people, rule, someBook } from './small-world';
import { Budget } from './together';
import { World } from './world';

const worldOf = (b: ReturnType<typeof book>) => new World(b.rules, b.otherwise, ground);
const needs = (services: string[], more: Partial<Relying> = {}): Relying => ({
	id: 'desk',
	pools: ['close'],
	services,
	people,
	...more
});
const said = (b: ReturnType<typeof book>, ...relying: Relying[]) =>
	contradictions(worldOf(b), relying).found.map((f) => [f.service, f.people.map((p) => p.login), f.rules]);

describe('a grant and rules', () => {
	test('contradict each other where what it needs is refused whatever the circumstances', () => {
		const b = book(
			rule({ id: 'crew', effect: 'refuse', who: [{ kind: 'team', id: 'crew' }], what: [{ kind: 'services' }] }),
			rule({ id: 'all', what: [{ kind: 'service', id: 'depot' }] })
		);
		expect(said(b, needs(['depot', 'ledger']))).toEqual([
			['ledger', ['ada', 'bo', 'cy'], ['crew', '']],
			['depot', ['bo', 'cy'], ['crew']]
		]);
	});
	test('agree where it is open somewhere: at some hour, from some network, with more asked', () => {
		const b = book(
			rule({
				effect: 'factor',
				what: [{ kind: 'services' }],
				from: [{ kind: 'network', range: '10.1.0.0/17' }],
				when: { duty: 'on' }
			})
		);
		expect(said(b, needs(['depot']))).toEqual([]);
	});
	test('are looked at on the machines of its pools alone', () => {
		const b = book(rule({ what: [{ kind: 'services' }], pools: ['far'] }));
		expect(said(b, needs(['depot']))).toHaveLength(1);
		expect(said(b, needs(['depot'], { pools: ['close', 'far'] }))).toEqual([]);
		// Where it opens on no machine of ours, whatever machine counts.
		expect(said(b, needs(['depot'], { pools: [] }))).toEqual([]);
	});
	test('say nothing of nobody, and of nothing', () => {
		expect(said(book(), needs(['depot'], { people: [] }), needs([]))).toEqual([]);
	});
	test('say where they could not be worked out', () => {
		const b = book(
			...Array.from({ length: 30 }, (_v, n) =>
				rule({ what: [{ kind: 'services' }], when: { hours: { days: [1], from: n, until: n + 700 } } })
			)
		);
		expect(contradictions(worldOf(b), [needs(['depot'])], new Budget(10)).exact).toBe(false);
	});
	test('come with an example in which it is so', () => {
		const b = book(rule({ id: 'crew', effect: 'refuse', who: [{ kind: 'team', id: 'crew' }] }), rule({ id: 'all' }));
		const world = worldOf(b);
		const [found] = contradictions(world, [needs(['depot'])]).found;
		expect(found!.example).toMatchObject({ pool: 'close', person: { login: 'bo' } });
		expect(reach(world, found!.example)).toMatchObject({ effect: 'refuse', rule: 'crew' });
	});
});

test('contradict each other exactly where trying all circumstances finds none that is open', () => {
	const all: Circumstances[] = [];
	for (const address of ['10.1.0.1', '10.1.200.1', '10.2.0.1', '10.9.0.1', null])
		for (const managed of [true, false])
			for (const branch of [null, 'desks', 'quiet'])
				for (const firmware of [null, '3', '4.1', '5'])
					for (const locks of [true, false])
						for (const minute of [0, 600, 1380, 1440 + 300, 3 * 1440])
							for (const onDuty of [true, false])
								for (const holiday of [true, false])
									for (const way of ['device', 'browser', 'window'] as const)
										all.push({
											pool: 'close',
											address,
											managed,
											branch,
											firmware,
											locks,
											minute,
											onDuty,
											holiday,
											way
										});
	fc.assert(
		fc.property(someBook, fc.constantFrom('depot', 'ledger'), (b, service) => {
			const world = worldOf(b);
			const { found, exact } = contradictions(world, [needs([service], { people: [ada, bo] })]);
			const shut = [ada, bo].filter((person) =>
				all.every((c) => reach(world, { ...c, person, target: { kind: 'service', id: service } }).effect === 'refuse')
			);
			expect(exact).toBe(true);
			expect(new Set(found.flatMap((f) => f.people))).toEqual(new Set(shut));
			for (const f of found) expect(reach(world, f.example).effect).toBe('refuse');
		}),
		{ numRuns: 60 }
	);
});
