import { gatewayFindings, relayFindings } from '$lib/core/diagnosis/findings';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, type Db } from '../db';
import { putAt } from '../db/intervals';
import type { Comparison } from '../manifest';

export const gatewayComparisons: readonly Comparison[] = [
	{ kinds: ['gateway port'], every: 'sweep', look: async (ctx, now) => gatewayFindings(await observePorts(ctx, now)) },
	{ kinds: ['gateway relay'], every: 'sweep', look: async (ctx, now) => relayFindings(await observeRelays(ctx, now)) }
];

/** Takes in what the gateways announce and listen on; a change closes the interval before. */
async function observePorts(ctx: Context, now: number) {
	const { db } = ctx;
	const seen = await ctx.providers.network.gateways();
	const sites = sitesOfGateways(db);
	return seen.flatMap((p) => {
		const gateway = sites.get(p.gateway);
		if (!gateway) return [];
		let row = one<{ announced: number; listens: number; since: number }>(
			db,
			`SELECT * FROM gateway_ports WHERE gateway_id = ? AND protocol = ? AND until = ${FOREVER}`,
			[p.gateway, p.protocol]
		);
		if (!row || row.announced !== p.announced || row.listens !== p.listens) {
			const { announced, listens } = p;
			putAt(db, 'gateway_ports', { gateway_id: p.gateway, protocol: p.protocol, announced, listens }, now);
			row = { ...p, since: now };
		}
		return [
			{
				...p,
				site: gateway.site,
				siteName: gateway.name,
				since: row.since,
				othersSay: seen.filter((o) => o.protocol === p.protocol && o.gateway !== p.gateway).map((o) => o.announced)
			}
		];
	});
}

/** Takes in which relay each gateway hands out and where its relay stands; a change closes the interval before. */
async function observeRelays(ctx: Context, now: number) {
	const { db } = ctx;
	const sites = sitesOfGateways(db);
	return (await ctx.providers.network.relays()).flatMap(({ gateway, announced, stands }) => {
		const at = sites.get(gateway);
		if (!at) return [];
		let row = one<{ announced: string; stands: string; since: number }>(
			db,
			`SELECT * FROM gateway_relays WHERE gateway_id = ? AND until = ${FOREVER}`,
			[gateway]
		);
		if (!row || row.announced !== announced || row.stands !== stands) {
			putAt(db, 'gateway_relays', { gateway_id: gateway, announced, stands }, now);
			row = { announced, stands, since: now };
		}
		const earlier = one<{ until: number | null }>(
			db,
			'SELECT max(until) AS until FROM gateway_relays WHERE gateway_id = ? AND announced = ? AND stands = announced AND until < ?',
			[gateway, announced, FOREVER]
		)!.until;
		return [{ gateway, announced, stands, site: at.site, siteName: at.name, since: row.since, earlier }];
	});
}

const sitesOfGateways = (db: Db) =>
	new Map(
		all<{ id: string; site: string; name: string }>(
			db,
			'SELECT g.id, s.id AS site, s.name FROM gateways g JOIN sites s ON s.id = g.site_id'
		).map((g) => [g.id, g])
	);
