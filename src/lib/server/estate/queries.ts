import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, setting, type Db } from '../db';
import { fromJson } from '../db/json';
import { roundTrips } from '$lib/core/network/distance';

export interface NetworkRow {
	id: string;
	site_id: string;
	range: string;
	/** First and last address that it leases. */
	first: number;
	last: number;
}

/** A network as it is declared now, or undefined. */
export const networkById = (db: Db, id: string): NetworkRow | undefined =>
	one<NetworkRow>(db, 'SELECT * FROM networks WHERE id = ?', [id]);

export interface Leases {
	size: number;
	free: number;
	/** Machines of ours on the network: each holds one. */
	held: number;
	/** Leased, but to nobody that we know. */
	stale: number;
}

/** How the addresses of a network are leased now, or null when there is no such network. */
export async function leasesOf(ctx: Context, network: string): Promise<Leases | null> {
	const row = networkById(ctx.db, network);
	return row ? (await leasesIn(ctx, [row]))[0]!.leases : null;
}

/** The same of some networks, or of all. */
export async function leasesIn(
	ctx: Context,
	networks = all<NetworkRow>(ctx.db, 'SELECT * FROM networks')
): Promise<{ network: NetworkRow; leases: Leases }[]> {
	const machines = new Map(
		all<{ network: string; n: number }>(
			ctx.db,
			`SELECT p.network_id AS network, count(*) AS n FROM pools p JOIN machines m ON m.pool_id = p.id AND m.until = ${FOREVER}
			 WHERE p.until = ${FOREVER} AND p.network_id IN (SELECT value FROM json_each(?)) GROUP BY 1`,
			[JSON.stringify(networks.map((n) => n.id))]
		).map((r) => [r.network, r.n])
	);
	return Promise.all(
		networks.map(async (network) => {
			const size = network.last - network.first + 1;
			const free = await ctx.providers.network.free(network.id);
			const held = machines.get(network.id) ?? 0;
			return { network, leases: { size, free, held, stale: Math.max(0, size - free - held) } };
		})
	);
}

/** The sites, in their order. */
export const sitesOf = (db: Db): { id: string; name: string; zone: string }[] =>
	all(db, 'SELECT id, name, time_zone AS zone FROM sites ORDER BY position');

export const networksOf = (db: Db): { id: string; site: string; range: string }[] =>
	all(db, 'SELECT id, site_id AS site, range FROM networks');

/** Folders of the directory that computer accounts can lie in. */
export const foldersOf = (db: Db): string[] =>
	all<{ name: string }>(db, 'SELECT name FROM folders ORDER BY name').map((f) => f.name);

/** Round trips between sites, ms, as the links are declared. */
export function waysOf(db: Db): (from: string, to: string) => number {
	const rows = all<{ id: string; links: string }>(db, 'SELECT id, links FROM sites ORDER BY position');
	const links = rows.flatMap((s) =>
		fromJson<{ to: string; latency_ms?: unknown }[]>('sites.links', s.links).flatMap((l) =>
			typeof l.latency_ms === 'number' ? [{ a: s.id, b: l.to, latency: l.latency_ms }] : []
		)
	);
	return roundTrips(links, setting(db, 'home') ?? rows[0]?.id ?? '');
}
