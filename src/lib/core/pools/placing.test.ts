import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { evenOut, type EveningDisk, type EveningVolume } from './evening';
import { packMachines, type PackHost, type PackMachine } from './packing';

const GB = 1e9;
const vol = (id: string, size: number, used: number): EveningVolume => ({ id, size: size * GB, used: used * GB });
const disk = (machine: string, volume: string, bytes: number): EveningDisk => ({ machine, volume, bytes: bytes * GB });

describe('evening volumes out', () => {
	test('moves just enough, to where it fits best', () => {
		const disks = [disk('a', 'v1', 50), disk('b', 'v1', 30), disk('c', 'v1', 22)];
		const { value, facts } = evenOut([vol('v1', 200, 180), vol('v2', 200, 100), vol('v3', 200, 20)], disks, 0.8);
		// 20 GB have to go: c alone is least; v2 has less room than v3 and takes it.
		expect(value).toEqual({ moves: [{ machine: 'c', from: 'v1', to: 'v2', bytes: 22 * GB }], bytes: 22 * GB });
		expect(facts.map((f) => f.words)).toEqual([
			'v1 is 90 % full, 20 GB over 80 %',
			'22 GB are moved; 20 GB have to be at least'
		]);
	});
	test('does nothing where nothing is over', () =>
		expect(evenOut([vol('v', 100, 40)], [], 0.8).value).toEqual({ moves: [], bytes: 0 }));
	test('is refused with the reason', () => {
		expect(evenOut([vol('v1', 100, 90), vol('v2', 100, 90)], [disk('a', 'v1', 50)], 0.8)).toMatchObject({
			value: null
		});
		expect(evenOut([vol('v1', 100, 95), vol('v2', 100, 10)], [disk('a', 'v1', 5)], 0.8).facts.at(-1)!.words).toMatch(
			/only 5 GB in machine disks/
		);
		expect(evenOut([vol('v1', 100, 95), vol('v2', 100, 70)], [disk('a', 'v1', 60)], 0.85).facts.at(-1)!.words).toMatch(
			/no disks of v1 that are enough find room/
		);
	});
	test('brings every volume under the share, and moves little more than has to be: against every choice, in small', () => {
		const small = fc.record({
			sizes: fc.array(fc.integer({ min: 3, max: 40 }), { minLength: 1, maxLength: 8 }),
			room: fc.integer({ min: 30, max: 200 }),
			excess: fc.integer({ min: 1, max: 60 })
		});
		let [found, least] = [0, 0];
		fc.assert(
			fc.property(small, ({ sizes, room, excess }) => {
				const own = sizes.reduce((a, b) => a + b, 0);
				// v1 is `excess` over 80 % of 1000.
				const volumes = [vol('v1', 1000, 800 + excess), vol('v2', 1000, 800 - room)];
				const disks = sizes.map((s, i) => disk(`m${i}`, 'v1', s));
				let best = Infinity;
				for (let set = 0; set < 1 << sizes.length; set++) {
					const sum = sizes.reduce((n, s, i) => n + ((set >> i) & 1 ? s : 0), 0);
					if (sum >= excess && sum <= room) best = Math.min(best, sum);
				}
				const { value } = evenOut(volumes, disks, 0.8);
				if (own < excess || best === Infinity) return;
				expect(value).not.toBeNull();
				expect(value!.bytes / GB).toBeGreaterThanOrEqual(best);
				expect(value!.bytes / GB).toBeLessThanOrEqual(Math.min(room, best * 1.5));
				found += value!.bytes / GB;
				least += best;
			}),
			{ numRuns: 300 }
		);
		expect(found / least).toBeLessThan(1.02);
	});
});

const host = (name: string, cores: number, memory: number, gpus = 0): PackHost => ({
	name,
	cores,
	memory: memory * GB,
	gpus
});
const machine = (name: string, cores: number, memory: number, more: Partial<PackMachine> = {}): PackMachine => ({
	name,
	cores,
	memory: memory * GB,
	gpus: 0,
	...more
});
const FEW = { over: 'few', spareHost: false } as const;

describe('placing machines', () => {
	test('fills few hosts, and says how few there can be', () => {
		const machines = Array.from({ length: 12 }, (_v, i) => machine(`m${i}`, i % 2 ? 8 : 2, i % 2 ? 8 : 32));
		const { value } = packMachines(machines, [host('h1', 64, 256), host('h2', 64, 256), host('h3', 64, 256)], FEW);
		expect(value).toMatchObject({ hosts: 1, bound: 1, left: [] });
	});
	test('spreads over all where that is wished', () => {
		const machines = Array.from({ length: 6 }, (_v, i) => machine(`m${i}`, 4, 16));
		const { value } = packMachines(machines, [host('h1', 64, 256), host('h2', 64, 256), host('h3', 64, 256)], {
			over: 'all',
			spareHost: false
		});
		const counts = ['h1', 'h2', 'h3'].map((h) => [...value.spots.values()].filter((x) => x === h).length);
		expect(counts).toEqual([2, 2, 2]);
	});
	test('keeps together and apart', () => {
		const machines = [
			machine('a1', 4, 8, { together: 'a' }),
			machine('a2', 4, 8, { together: 'a' }),
			machine('x1', 4, 8, { apart: 'x' }),
			machine('x2', 4, 8, { apart: 'x' }),
			machine('x3', 4, 8, { apart: 'x' })
		];
		const { value } = packMachines(machines, [host('h1', 16, 64), host('h2', 16, 64)], FEW);
		expect(value.spots.get('a1')).toBe(value.spots.get('a2'));
		expect(value.spots.get('x1')).not.toBe(value.spots.get('x2'));
		expect(value.left).toEqual([{ machine: 'x3', why: 'every host has a machine that it is to be kept apart from' }]);
	});
	test('says what a machine finds nowhere', () => {
		const { value } = packMachines(
			[machine('big', 4, 500), machine('gpu', 4, 8, { gpus: 1 })],
			[host('h1', 16, 64)],
			FEW
		);
		expect(value.left.map((l) => l.why)).toEqual([
			'no host has 500 GB of memory free; the most is 64 GB of memory',
			'no host has 1 GPU free; the most is 0 GPUs'
		]);
	});
	test('says whether one host may fail', () => {
		const machines = Array.from({ length: 8 }, (_v, i) => machine(`m${i}`, 4, 16));
		const spare = { over: 'all', spareHost: true } as const;
		expect(packMachines(machines, [host('h1', 16, 64), host('h2', 16, 64)], spare).facts[1]!.words).toMatch(
			/if h\d fails, its 4 machines do not all fit/
		);
		expect(
			packMachines(machines, [host('h1', 16, 64), host('h2', 16, 64), host('h3', 16, 64), host('h4', 16, 64)], spare)
				.facts[1]!.words
		).toMatch(/any one host may fail/);
	});
	test('promises no host more than it has, and leaves none out without need', () => {
		const some = fc.array(
			fc.record({ cores: fc.integer({ min: 1, max: 16 }), memory: fc.integer({ min: 1, max: 64 }), gpus: fc.nat(1) }),
			{ maxLength: 40 }
		);
		fc.assert(
			fc.property(some, fc.constantFrom('few' as const, 'all' as const), (list, over) => {
				const machines = list.map((m, i) => machine(`m${i}`, m.cores, m.memory, { gpus: m.gpus }));
				const hosts = Array.from({ length: 5 }, (_v, i) => host(`h${i}`, 64, 256, 8));
				const { value } = packMachines(machines, hosts, { over, spareHost: false });
				for (const h of hosts) {
					const on = machines.filter((m) => value.spots.get(m.name) === h.name);
					for (const r of ['cores', 'memory', 'gpus'] as const)
						expect(on.reduce((n, m) => n + m[r], 0)).toBeLessThanOrEqual(h[r]);
				}
				expect(value.spots.size + value.left.length).toBe(machines.length);
				expect(value.hosts).toBeGreaterThanOrEqual(value.left.length ? 0 : value.bound);
			})
		);
	});
});
