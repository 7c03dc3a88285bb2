import { FOREVER } from '$lib/core/time/units';
import { doorsAt } from './door';
import { poolsAt } from '../pools';
import type { Context } from '../context';
import { all } from '../db';
import type { BrokerConfig } from '../providers';
import { servedBy } from './serving';
import { grantsAt, publicationsAt } from '../publications';

/** Pushes to the broker at the gateways what it needs to let people in. */
export async function configureBroker(ctx: Context): Promise<void> {
	await ctx.providers.broker.configure(brokerConfig(ctx));
}

function brokerConfig(ctx: Context): BrokerConfig {
	const { db } = ctx;
	const now = ctx.clock.now();
	const machines = new Map<string, string[]>();
	const owners: Record<string, string> = {};
	for (const m of all<{ name: string; pool: string; owner: string | null }>(
		db,
		`SELECT m.name, m.pool_id AS pool, p.login AS owner FROM machines m
		 LEFT JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} LEFT JOIN people p ON p.id = pl.owner_id WHERE m.until = ${FOREVER} ORDER BY m.name`
	)) {
		const list = machines.get(m.pool);
		if (list) list.push(m.name);
		else machines.set(m.pool, [m.name]);
		if (m.owner) owners[m.name] = m.owner;
	}
	const door = doorsAt(db, now);
	const serving = servedBy(db, now);
	return {
		pools: poolsAt(db, now).map((p) => ({
			id: p.id,
			assignment: p.assignment,
			placing: p.policy.placing,
			machines: machines.get(p.id) ?? [],
			site: p.site
		})),
		// What is opened in a browser alone is none of the gateways’ business.
		publications: publicationsAt(db, now)
			.filter((p) => p.reaches === null)
			.map((p) => ({
				id: p.id,
				pools: serving(p),
				protocol: p.protocol,
				door: door(p),
				...(p.app ? { app: p.app } : {})
			})),
		grants: grantsAt(db, now).map((g) => ({
			id: String(g.id),
			publication: g.publication,
			to: { kind: g.toKind, id: g.toKind === 'person' ? g.toLogin! : g.toId, name: g.toName },
			conditions: g.conditions,
			channels: g.channels,
			machines: g.machines
		})),
		owners
	};
}
