import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { GB, TB } from '../time/units';
import { CORE_OVERCOMMIT, fitMachines, VOLUME_RESERVE, type HostRoom } from './fitting';

const host = (name: string, more: Partial<HostRoom> = {}): HostRoom => ({
	name,
	cores: 32,
	coresPromised: 0,
	memory: 256 * GB,
	memoryPromised: 0,
	gpus: 0,
	gpusPromised: 0,
	...more
});
const size = { cores: 4, memory: 16 * GB, gpus: 0, disk: 50 * GB };
const volume = { id: 'v1', size: 2 * TB, used: 0 };

describe('fitting machines', () => {
	test('spreads over hosts and says where each goes', () => {
		const { value } = fitMachines(size, 4, [host('a'), host('b')], [volume], 100);
		expect(value.shortages).toEqual([]);
		expect(value.spots.map((p) => p.host).sort()).toEqual(['a', 'a', 'b', 'b']);
	});

	test.each([
		['memory', { ...size, memory: 200 * GB }, 5, 100, 'memory'],
		['cores', { ...size, cores: 60, memory: GB }, 9, 100, 'cores'],
		['GPUs', { ...size, gpus: 1 }, 2, 100, 'GPUs'],
		['volume space', { ...size, disk: 900 * GB }, 3, 100, 'volume space'],
		['addresses', size, 5, 3, 'addresses']
	])('names the shortage of %s', (_name, wanted, count, addresses, of) => {
		const { value } = fitMachines(wanted, count, [host('a'), host('b')], [volume], addresses);
		expect(value.shortages.map((s) => s.of)).toContain(of);
		expect(value.spots.length).toBeLessThan(count);
	});

	test('machines with a GPU get their cores outright', () => {
		const g = host('g', { gpus: 16, cores: 32 });
		expect(fitMachines({ ...size, gpus: 1, cores: 8 }, 5, [g], [volume], 100).value.spots).toHaveLength(4);
	});

	test('never promises more than there is', () => {
		fc.assert(
			fc.property(
				fc.integer({ min: 1, max: 40 }),
				fc.integer({ min: 1, max: 16 }),
				fc.integer({ min: 2, max: 64 }),
				fc.integer({ min: 20, max: 300 }),
				(count, cores, memory, disk) => {
					const hosts = [host('a'), host('b', { coresPromised: 50, memoryPromised: 100 * GB })];
					const wanted = { cores, memory: memory * GB, gpus: 0, disk: disk * GB };
					const { spots, shortages } = fitMachines(wanted, count, hosts, [volume], 30).value;
					for (const h of hosts) {
						const n = spots.filter((p) => p.host === h.name).length;
						expect(h.coresPromised + n * cores).toBeLessThanOrEqual(h.cores * CORE_OVERCOMMIT);
						expect(h.memoryPromised + n * memory * GB).toBeLessThanOrEqual(h.memory);
					}
					expect(spots.length * disk * GB).toBeLessThanOrEqual(volume.size * (1 - VOLUME_RESERVE));
					expect(spots.length).toBeLessThanOrEqual(30);
					expect(shortages.length > 0).toBe(spots.length < count);
				}
			)
		);
	});
});
