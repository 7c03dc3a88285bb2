import { fitMachines, type HostRoom, type VolumeRoom } from '../pools/fitting';
import { nameAt, parsePattern } from '../pools/naming';
import type { Estate } from './schema';

/** A machine of a declared pool, and where it stands. */
export interface LaidMachine {
	name: string;
	pool: string;
	host: string;
	volume: string;
	address: number;
}

/**
 * Lays the machines of every declared pool on the hosts and volumes of their sites, in the order of the file.
 * Problems name the pool (by its index) that does not fit, and what is short.
 */
export function layOut(estate: Estate): { machines: LaidMachine[]; problems: { pool: number; message: string }[] } {
	const hosts = new Map<string, HostRoom>(
		estate.hosts.map((h) => [
			h.id,
			{
				name: h.id,
				cores: h.cores,
				coresPromised: 0,
				memory: h.memory,
				memoryPromised: 0,
				gpus: h.gpus,
				gpusPromised: 0
			}
		])
	);
	const volumes = new Map<string, VolumeRoom>(estate.volumes.map((x) => [x.id, { id: x.id, size: x.size, used: 0 }]));
	const nextAddress = new Map(
		estate.sites.flatMap((s) =>
			s.networks.map(
				(n) => [n.id, { next: n.first as number, last: n.last }] as [string, { next: number; last: number }]
			)
		)
	);
	const machines: LaidMachine[] = [];
	const problems: { pool: number; message: string }[] = [];
	const names = new Map<string, string>();

	estate.pools.forEach((pool, index) => {
		const pattern = parsePattern(pool.naming);
		if ('problem' in pattern) return;
		const network = nextAddress.get(pool.network)!;
		const here = estate.hosts.filter((h) => h.site === pool.site).map((h) => hosts.get(h.id)!);
		const space = estate.volumes.filter((x) => x.site === pool.site).map((x) => volumes.get(x.id)!);
		const fit = fitMachines(pool, pool.count, here, space, network.last - network.next + 1).value;
		for (const s of fit.shortages)
			problems.push({ pool: index, message: `pool ${pool.id} does not fit at ${pool.site}: ${s.words}` });
		fit.spots.forEach((spot, i) => {
			const name = nameAt(pattern, i + 1);
			if (names.has(name))
				problems.push({
					pool: index,
					message: `pool ${pool.id} would make a second ${name}; ${names.get(name)} has one`
				});
			names.set(name, pool.id);
			const host = hosts.get(spot.host)!;
			host.coresPromised += pool.cores;
			host.memoryPromised += pool.memory;
			host.gpusPromised += pool.gpus;
			volumes.get(spot.volume)!.used += pool.disk;
			machines.push({ name, pool: pool.id, host: spot.host, volume: spot.volume, address: network.next++ });
		});
	});
	return { machines, problems };
}
