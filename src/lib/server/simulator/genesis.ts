import { addPerson, changeOf } from './directory';
import { beginTurnover } from './turnover';
import { layOut } from '$lib/core/estate/layout';
import { beginning, type Estate } from '$lib/core/estate/schema';
import { addressText } from '$lib/core/network/addresses';
import { noPackages } from './claims';
import { makeEndpoints } from './fleets';
import { imagesOf } from './images';
import type { ExistingMachine } from '../providers';
import { schedule } from './agenda';
import type { SimMachine, World } from './state';

/** The world of an estate file at the beginning of its history: every machine off, nobody signed in. */
export function makeWorld(estate: Estate): World {
	const now = beginning(estate);
	const world: World = {
		now,
		nextHappening: 0,
		nextSession: 1,
		nextConnection: 1,
		nextSeq: 1,
		queue: [],
		hosts: new Map(
			estate.hosts.map((h) => [
				h.id,
				{
					name: h.id,
					site: h.site,
					cores: h.cores,
					memory: h.memory,
					gpus: h.gpus,
					up: true,
					pressure: 0,
					gpuPressure: 0
				}
			])
		),
		volumes: new Map(
			estate.volumes.map((v) => [
				v.id,
				{ id: v.id, site: v.site, size: v.size, iops: v.iops, other: 0, busy: 0, booting: 0 }
			])
		),
		networks: new Map(
			estate.sites.flatMap((s) =>
				s.networks.map(
					(n) => [n.id, { first: n.first, last: n.last, leased: new Map<number, string>(), usedUp: false }] as const
				)
			)
		),
		gateways: new Map(
			estate.gateways.map((g) => [
				g.id,
				{
					site: g.site,
					protocols: new Map(
						g.protocols.map((p) => [p.name as string, { announced: p.announced, listens: p.listens }])
					),
					...(g.relay ? { relay: relayAt(g.relay, now) } : {})
				}
			])
		),
		machines: new Map(),
		directoryChanges: [],
		existing: new Map(estate.existing.map((m) => [m.name, existingOf(m)])),
		accounts: new Map(),
		people: new Map(),
		sessions: new Map(),
		connections: new Map(),
		waiting: new Set(),
		faults: [],
		directorySlow: new Map(),
		signInsThisMinute: new Map(),
		operations: new Map(),
		broker: { pools: [], publications: [], grants: [], owners: {} },
		settings: { groups: [], branches: {}, endpoints: {} },
		versions: new Map(estate.image_lines.map((l) => [l.id, new Set(l.versions.map((v) => v.number))])),
		captures: new Map(),
		books: { machines: new Map(), wanted: new Map() },
		packages: noPackages(),
		images: imagesOf(estate),
		endpoints: new Map(),
		rules: null,
		flows: new Map(),
		shares: new Map(),
		distrusted: new Set(),
		outbox: [],
		observations: []
	};

	for (const m of estate.existing) {
		if (m.folder !== undefined) world.accounts.set(m.name, m.folder);
		// Each has an address from the end of its network, where pools come last.
		const { last, leased } = world.networks.get(m.network)!;
		let address = last;
		while (leased.has(address)) address--;
		leased.set(address, m.name);
	}
	const pools = new Map(estate.pools.map((p) => [p.id, p]));
	const lines = new Map(estate.image_lines.map((l) => [l.id, l]));
	for (const laid of layOut(estate).machines) {
		const pool = pools.get(laid.pool)!;
		const machine: SimMachine = {
			name: laid.name,
			pool: laid.pool,
			host: laid.host,
			volume: laid.volume,
			network: pool.network,
			line: pool.line,
			version: pool.version,
			users: lines.get(pool.line)!.users,
			holds: pool.sessions_per_machine,
			cores: pool.cores,
			memory: pool.memory,
			gpus: pool.gpus,
			disk: pool.disk,
			pageFile: pool.page_file,
			pageApart: pool.page_file_on === 'apart',
			bootServers: pool.boot_servers,
			site: pool.site,
			address: laid.address,
			...asNew()
		};
		world.machines.set(laid.name, machine);
		world.networks.get(pool.network)!.leased.set(laid.address, laid.name);
		world.accounts.set(laid.name, pool.folder);
		world.observations.push({
			seq: world.nextSeq++,
			at: now,
			kind: 'made',
			machine: laid.name,
			pool: laid.pool,
			host: laid.host,
			volume: laid.volume,
			version: pool.version,
			address: addressText(laid.address)
		});
	}

	for (const p of estate.directory.people) {
		if (p.told !== undefined && p.told > now) schedule(world, p.told, { kind: 'person comes', person: p });
		else addPerson(world, estate, p);
	}
	for (const { person, told, ...change } of estate.directory.changes) {
		if (told !== undefined && told < change.at)
			schedule(world, Math.max(now, told), { kind: 'person told', person, change });
		schedule(world, change.at, { kind: 'person changes', person, change: changeOf(change) });
	}
	makeEndpoints(world, estate);
	beginTurnover(world, estate);
	for (const { id, relay } of estate.gateways)
		if (relay?.before && relay.before.until > now)
			schedule(world, relay.before.until, { kind: 'relay moves', gateway: id });
	for (const fault of estate.faults)
		schedule(world, Math.max(now, fault.at), {
			kind: 'fault',
			fault: { kind: fault.kind, target: fault.target, until: fault.until ?? null, value: fault.value ?? null }
		});
	schedule(world, Math.ceil(now / 60_000) * 60_000, { kind: 'minute' });
	return world;
}

/** A relay as it stands at a moment: where it is now, or was until it moved. */
function relayAt({ address, before }: NonNullable<Estate['gateways'][number]['relay']>, now: number) {
	const stands = before && before.until > now ? before.address : address;
	return { announced: stands, stands, retired: before && stands === address ? before.address : null };
}

const existingOf = ({ folder: _, ...m }: Estate['existing'][number]): ExistingMachine => ({
	...m,
	host: m.kind === 'virtual' ? m.host! : null,
	volume: m.kind === 'virtual' ? m.volume! : null
});

/** The parts of a machine that say how it is doing, as they are for a fresh one. */
export const asNew = () => ({
	state: 'off' as const,
	life: 0,
	agent: true,
	hung: false,
	trusted: true,
	nameOk: true,
	runaway: false,
	sessions: [] as number[],
	coming: 0,
	asideUntil: 0,
	failures: 0,
	written: 0,
	writtenBefore: 0,
	cpu: 0,
	strain: 0
});
