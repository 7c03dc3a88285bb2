import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { GB } from '../time/units';
import { firstPool, firstWay, nextStep, STEPS, type Found } from './way';

const NOTHING: Found = {
	sites: [],
	joining: null,
	folders: [],
	stock: [],
	lines: [],
	hours: [],
	teams: [],
	people: 0,
	pools: [],
	publications: [],
	grants: [],
	opened: null,
	reached: null
};
const HOST = { cores: 64, memory: 512 * GB };
const SITE = { id: 'north-1', name: 'North', hosts: [HOST, HOST], networks: [{ id: 'n', free: 100 }] };
const VERSION = { number: '1.0.0', held: false, size: 24 * GB, profiles: true };
const LINE = { id: 'desk', name: 'desk', users: 'multi' as const, versions: [VERSION], building: null };
const step = (f: Partial<Found>, name: (typeof STEPS)[number]) =>
	firstWay({ ...NOTHING, ...f }).find((s) => s.name === name)!;
const words = (f: Partial<Found>, name: (typeof STEPS)[number]) => step(f, name).facts.map((x) => x.words);

describe('a first pool', () => {
	const of = (people: number, more: { hosts?: (typeof HOST)[]; free?: number; users?: 'single' | 'multi' } = {}) =>
		firstPool(more.hosts ?? [HOST, HOST], more.free ?? 1000, people, { users: more.users ?? 'multi', size: 24 * GB });

	test('has as many machines as its people want', () => {
		expect(of(30).value).toEqual({ cores: 4, memory: 32 * GB, disk: 40 * GB, perMachine: 8, count: 4 });
		expect(of(30, { users: 'single' }).value).toMatchObject({ perMachine: 1, count: 16 });
	});

	test('and no more than stand when a host fails, or than there are addresses; it says which', () => {
		expect(of(1000).value.count).toBe(16);
		expect(of(1000).facts.at(-1)!.words).toMatch(/16 machines of 125 .* more would not stand if a host failed/);
		expect(of(1000, { free: 3 }).facts.at(-1)!.words).toMatch(/3 machines of 125 .* 3 addresses are free/);
		expect(of(1000, { hosts: [HOST] }).value.count).toBe(16);
	});

	test('is something that can be made, whatever the hosts', () => {
		fc.assert(
			fc.property(
				fc.array(fc.record({ cores: fc.integer({ min: 1, max: 512 }), memory: fc.integer({ min: 1, max: 8e12 }) }), {
					minLength: 1,
					maxLength: 9
				}),
				fc.integer({ min: 1, max: 5000 }),
				fc.integer({ min: 0, max: 100_000 }),
				fc.constantFrom('single' as const, 'multi' as const),
				(hosts, free, people, users) => {
					const { value } = firstPool(hosts, free, people, { users, size: 30 * GB });
					expect(value.count).toBeGreaterThanOrEqual(1);
					expect(value.count).toBeLessThanOrEqual(Math.max(1, free));
					expect(value.perMachine).toBeGreaterThanOrEqual(1);
					expect(Number.isInteger(value.cores) && value.cores >= 2 && value.memory >= 8 * GB).toBe(true);
				}
			)
		);
	});
});

describe('the way', () => {
	test('always has each step once, and whatever is open says what to do', () => {
		fc.assert(
			fc.property(
				fc.record({
					sites: fc.constantFrom([], [SITE], [{ ...SITE, hosts: [] }], [{ ...SITE, networks: [] }]),
					joining: fc.constantFrom(null, 3),
					folders: fc.constantFrom([], ['desks']),
					stock: fc.constantFrom([], [{ id: 's', name: 'S', users: 'multi' as const, leastDisk: 1 }]),
					lines: fc.constantFrom(
						[],
						[LINE],
						[{ ...LINE, versions: [] }],
						[{ ...LINE, versions: [], building: 4 }],
						[{ ...LINE, versions: [{ ...VERSION, held: true }] }],
						[{ ...LINE, versions: [{ ...VERSION, profiles: false }] }]
					),
					hours: fc.constantFrom([], ['office']),
					teams: fc.constantFrom([], [{ id: 't', name: 'T', people: 3 }], [{ id: 't', name: 'T', people: 0 }]),
					people: fc.constantFrom(0, 3),
					pools: fc.constantFrom(
						[],
						[{ id: 'p', name: 'P', site: 'north-1', line: 'desk', machines: 2, job: null }],
						[{ id: 'p', name: 'P', site: 'north-1', line: 'desk', machines: 0, job: 9 }]
					),
					publications: fc.constantFrom([], [{ id: 'd', name: 'D', pools: ['p'] }]),
					grants: fc.constantFrom([], [{ publication: 'd', to: 'T', people: 3 }]),
					opened: fc.constantFrom(null, { login: 'a', name: 'A' }),
					reached: fc.constantFrom(null, { login: 'a', name: 'A', publication: 'D' })
				}),
				(found) => {
					const steps = firstWay(found);
					expect(steps.map((s) => s.name)).toEqual([...STEPS]);
					for (const s of steps) {
						expect(s.facts.length, s.name).toBeGreaterThan(0);
						if (s.state === 'open' || s.state === 'under way') expect(s.offers.length, s.name).toBeGreaterThan(0);
						else expect(s.offers).toEqual([]);
					}
					const next = nextStep(steps);
					if (next) expect(next.state).toBe('open');
				}
			)
		);
	});

	test('says what each step waits for', () => {
		expect(words({}, 'line')).toEqual(['no stock system is offered to begin with']);
		expect(
			words({ sites: [{ ...SITE, networks: [{ id: 'n', free: 0 }] }], lines: [LINE], hours: ['office'] }, 'pool')
		).toEqual(['no address is free in North', 'the directory has no folder for computer accounts']);
		expect(step({ joining: 7 }, 'site')).toMatchObject({ state: 'under way', offers: [{ href: '/build/sites/7' }] });
	});

	test('a version without a profile disk client is a step of its own, and never the next before others', () => {
		const found = { sites: [SITE], lines: [{ ...LINE, versions: [{ ...VERSION, profiles: false }] }] };
		expect(step(found, 'profiles').state).toBe('open');
		expect(nextStep(firstWay({ ...NOTHING, ...found }))!.name).toBe('hours');
	});

	test('names machines after their site, whatever it is called', () => {
		const naming = (id: string) =>
			(
				step({ sites: [{ ...SITE, id }], lines: [LINE], hours: ['office'], folders: ['desks'], people: 9 }, 'pool')
					.offers[0] as { input: { naming: string } }
			).input.naming;
		expect([naming('north-1'), naming('a-very-long-site'), naming('北')]).toEqual([
			'north1-##',
			'averylon-##',
			'desk-##'
		]);
	});

	test('grants to the largest team, or says that there is none', () => {
		const found = {
			people: 4,
			pools: [{ id: 'p', name: 'P', site: 'x', line: 'desk', machines: 2, job: null }],
			publications: [{ id: 'd', name: 'D', pools: ['p'] }]
		};
		const teams = [
			{ id: 'a', name: 'A', people: 1 },
			{ id: 'b', name: 'B', people: 3 }
		];
		expect(step({ ...found, teams }, 'grant').offers[0]).toMatchObject({ input: { team: 'b', publication: 'd' } });
		expect(words(found, 'grant')[0]).toMatch(/nobody is of a team yet/);
	});
});
