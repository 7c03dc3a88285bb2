import { teamsOver } from './directory';
import { layOut } from '$lib/core/estate/layout';
import { beginning, type Estate } from '$lib/core/estate/schema';
import { addressText } from '$lib/core/network/addresses';
import { knowsZone } from '$lib/core/time/zone';
import { noPackages } from './claims';
import { imagesOf } from './images';
import type { ExistingMachine } from '../providers';
import { hashText } from './random';
import { schedule } from './agenda';
import type { SimMachine, SimPerson, World } from './state';

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
		versions: new Map(estate.image_lines.map((l) => [l.id, new Set(l.versions.map((v) => v.number))])),
		captures: new Map(),
		books: { machines: new Map(), wanted: new Map() },
		packages: noPackages(),
		images: imagesOf(estate),
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

	const zones = new Map(estate.sites.map((s) => [s.id, s.time_zone]));
	const nets = new Map(estate.sites.map((s) => [s.id, s.networks[0]]));
	estate.directory.people.forEach((p) => {
		const zone = zones.get(p.site)!;
		if (!knowsZone(zone)) throw new RangeError(`unknown time zone ${zone}`);
		const index = hashText(p.login);
		const net = nets.get(p.site);
		const person: SimPerson = {
			login: p.login,
			index,
			name: p.name,
			site: p.site,
			zone,
			team: p.team,
			others: p.teams.filter((t) => t !== p.team),
			teams: teamsOver(estate.directory.teams, [p.team, ...p.teams]),
			pattern: p.pattern,
			profile: p.profile,
			managed: p.managed_endpoint,
			open: [],
			// People's endpoints stand behind the desks' network; those of people without a managed one come from outside.
			address:
				net && p.managed_endpoint
					? addressText((net.first & 0xffffff00) + 1024 + (index % 200))
					: `198.51.100.${index % 250}`
		};
		world.people.set(p.login, person);
		schedule(world, now, { kind: 'day', person: p.login, day: Number.NaN });
	});
	for (const { at, ...change } of estate.directory.changes)
		if (at > now) schedule(world, at, { kind: 'member changes', ...change });
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
