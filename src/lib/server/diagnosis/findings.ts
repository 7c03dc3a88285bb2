import { gatewayFindings } from '$lib/core/diagnosis/findings';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one } from '../db';
import { putAt } from '../db/intervals';
import type { Comparison } from '../manifest';

export const gatewayComparisons: readonly Comparison[] = [
	{ kinds: ['gateway port'], every: 'sweep', look: async (ctx, now) => gatewayFindings(await observePorts(ctx, now)) }
];

/** Takes in what the gateways announce and listen on; a change closes the interval before. */
async function observePorts(ctx: Context, now: number) {
	const { db } = ctx;
	const seen = await ctx.providers.network.gateways();
	const sites = new Map(
		all<{ id: string; site: string; name: string }>(
			db,
			'SELECT g.id, s.id AS site, s.name FROM gateways g JOIN sites s ON s.id = g.site_id'
		).map((g) => [g.id, g])
	);
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
