import { countWords, sizeWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';

/** What one machine takes. Memory and disk in bytes. */
export interface MachineSize {
	cores: number;
	memory: number;
	gpus: number;
	disk: number;
}

export interface HostRoom {
	name: string;
	/** Cores of the host, and cores promised to machines on it. */
	cores: number;
	coresPromised: number;
	memory: number;
	memoryPromised: number;
	gpus: number;
	gpusPromised: number;
}

export interface VolumeRoom {
	id: string;
	size: number;
	used: number;
}

export interface Fit {
	/** Host and volume for each machine, in the order of the machines; shorter than `count` when room runs out. */
	spots: { host: string; volume: string }[];
	shortages: { of: 'cores' | 'memory' | 'GPUs' | 'volume space' | 'addresses'; missing: number; words: string }[];
}

/** Promised cores per real core: desktops idle most of the time. Machines with a GPU get their cores outright. */
export const CORE_OVERCOMMIT = 4;

/** Space on a volume that is never handed out: 10 % (room for snapshots and growth). */
export const VOLUME_RESERVE = 0.1;

/**
 * Lays `count` equal machines: each on the host with the largest free share of whatever it is shortest of,
 * and on the volume with the most free space. Says which resource runs out, and by how much.
 */
export function fitMachines(
	size: MachineSize,
	count: number,
	hosts: HostRoom[],
	volumes: VolumeRoom[],
	freeAddresses: number
): Explained<Fit> {
	const room = hosts.map((h) => ({ ...h }));
	const space = volumes.map((v) => ({ ...v }));
	const over = size.gpus > 0 ? 1 : CORE_OVERCOMMIT;
	const fit: Fit = { spots: [], shortages: [] };
	const usable = (v: VolumeRoom) => v.size * (1 - VOLUME_RESERVE) - v.used;
	const before = total(room, space, over);

	for (let i = 0; i < count; i++) {
		let best: HostRoom | null = null;
		let bestShare = 0;
		for (const host of room) {
			const share = freeShare(host, size, over);
			if (share > bestShare) [best, bestShare] = [host, share];
		}
		const volume = space.reduce<VolumeRoom | null>(
			(a, v) => (usable(v) >= size.disk && (!a || usable(v) > usable(a)) ? v : a),
			null
		);
		if (!best || !volume || i >= freeAddresses) break;
		best.coresPromised += size.cores;
		best.memoryPromised += size.memory;
		best.gpusPromised += size.gpus;
		volume.used += size.disk;
		fit.spots.push({ host: best.name, volume: volume.id });
	}

	const missing = count - fit.spots.length;
	if (missing > 0) {
		const holds = (free: (h: HostRoom) => number, each: number) =>
			each === 0 ? Infinity : hosts.reduce((n, h) => n + Math.max(0, Math.floor(free(h) / each)), 0);
		const limits = [
			{
				of: 'cores' as const,
				holds: holds((h) => h.cores * over - h.coresPromised, size.cores),
				unit: (n: number) => countWords(n * size.cores, 'core')
			},
			{
				of: 'memory' as const,
				holds: holds((h) => h.memory - h.memoryPromised, size.memory),
				unit: (n: number) => `${sizeWords(n * size.memory)} of memory`
			},
			{
				of: 'GPUs' as const,
				holds: holds((h) => h.gpus - h.gpusPromised, size.gpus),
				unit: (n: number) => countWords(n * size.gpus, 'GPU')
			},
			{
				of: 'volume space' as const,
				holds: volumes.reduce((n, v) => n + Math.max(0, Math.floor(usable(v) / size.disk)), 0),
				unit: (n: number) => `${sizeWords(n * size.disk)} of volume space`
			},
			{ of: 'addresses' as const, holds: freeAddresses, unit: (n: number) => countWords(n, 'address', 'addresses') }
		];
		for (const limit of limits) {
			if (limit.holds >= count) continue;
			const short = count - limit.holds;
			fit.shortages.push({
				of: limit.of,
				missing: short,
				words: `${limit.unit(short)} missing: there is room for ${countWords(limit.holds, 'machine')}, ${count} are asked for`
			});
		}
		// Each resource alone would do, but no single host has all of them together.
		if (fit.shortages.length === 0) {
			fit.shortages.push({
				of: 'memory',
				missing,
				words: `no host has cores, memory and GPUs together for the last ${countWords(missing, 'machine')}`
			});
		}
	}

	const facts: Fact[] = [
		{
			words: `each machine takes ${countWords(size.cores, 'core')}, ${sizeWords(size.memory)} of memory, ${sizeWords(size.disk)} of disk${size.gpus ? ` and ${countWords(size.gpus, 'GPU')}` : ''}`
		},
		{ words: `the ${countWords(hosts.length, 'host')} of the site have ${before}`, source: 'compute provider' },
		...(over > 1
			? [{ words: `cores are promised ${CORE_OVERCOMMIT} times over, since desktops idle most of the time` }]
			: [{ words: 'machines with a GPU get their cores outright' }]),
		{ words: `${countWords(freeAddresses, 'address', 'addresses')} free on the network`, source: 'network' },
		...fit.shortages.map((s): Fact => ({ words: s.words, side: 'against' }))
	];
	return { value: fit, facts };
}

/** Free share of the scarcest resource after placing one more; 0 when it does not fit. */
function freeShare(host: HostRoom, size: MachineSize, over: number): number {
	const cores = host.cores * over - host.coresPromised - size.cores;
	const memory = host.memory - host.memoryPromised - size.memory;
	const gpus = host.gpus - host.gpusPromised - size.gpus;
	if (cores < 0 || memory < 0 || gpus < 0) return 0;
	// A host with GPUs is kept for machines that need one: it counts as nearly full for the others.
	const kept = size.gpus === 0 && host.gpus > 0 ? 0.01 : 1;
	return (
		kept *
		Math.min((cores + 1) / (host.cores * over), (memory + 1) / host.memory, size.gpus > 0 ? (gpus + 1) / host.gpus : 1)
	);
}

function total(hosts: HostRoom[], volumes: VolumeRoom[], over: number): string {
	const cores = hosts.reduce((n, h) => n + h.cores * over - h.coresPromised, 0);
	const memory = hosts.reduce((n, h) => n + h.memory - h.memoryPromised, 0);
	const gpus = hosts.reduce((n, h) => n + h.gpus - h.gpusPromised, 0);
	const disk = volumes.reduce((n, v) => n + Math.max(0, v.size * (1 - VOLUME_RESERVE) - v.used), 0);
	return `${countWords(Math.max(0, cores), 'core')}, ${sizeWords(Math.max(0, memory))} of memory, ${countWords(Math.max(0, gpus), 'GPU')} and ${sizeWords(disk)} of disk left`;
}
