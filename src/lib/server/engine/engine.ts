import { FOREVER, MINUTE } from '$lib/core/time/units';
import type { Context } from '../context';
import { all } from '../db';
import { sweepChecks, sweepFindings } from '../diagnosis/watchman';
import type { BrokerConfig } from '../providers';
import { poolsAt } from '../capacity/queries';
import { publicationsAt, grantsAt } from '../publishing/queries';
import { Observer } from './observer';
import { powerMinute } from './power';

/** Checks and findings run this often. */
const SWEEP = 5 * MINUTE;

/** What runs minute by minute: take in what was observed, let the policies act, run the checks. */
export class Engine {
	readonly observer: Observer;
	private lastMinute: number;
	private lastSweep = 0;

	constructor(readonly ctx: Context) {
		this.observer = new Observer(ctx.db);
		this.lastMinute = Math.floor(ctx.clock.now() / MINUTE);
	}

	/** Takes in everything that the providers have observed since the last time. Returns how much it was. */
	async observe(): Promise<number> {
		let taken = 0;
		for (;;) {
			const batch = await this.ctx.providers.observations.after(this.observer.seq, 5000);
			if (batch.length === 0) return taken;
			this.observer.take(batch);
			taken += batch.length;
		}
	}

	/** Does what is due at `now`. Minutes that were slept through are not made up for: policies act on what is. */
	async minute(now: number, options: { findings: boolean; forecast: boolean } = { findings: true, forecast: true }): Promise<boolean> {
		const minute = Math.floor(now / MINUTE);
		if (minute === this.lastMinute) return false;
		this.lastMinute = minute;
		this.ctx.db.transaction(() => powerMinute(this.ctx, this.observer, now))();
		if (options.findings && now - this.lastSweep >= SWEEP) {
			this.lastSweep = now;
			await sweepChecks(this.ctx, [...this.observer.machines.values()], now);
			await sweepFindings(this.ctx, now, options.forecast);
		}
		return true;
	}
}

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
		 LEFT JOIN machine_places pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} LEFT JOIN people p ON p.id = pl.owner_id WHERE m.until = ${FOREVER} ORDER BY m.name`
	)) {
		const list = machines.get(m.pool);
		if (list) list.push(m.name);
		else machines.set(m.pool, [m.name]);
		if (m.owner) owners[m.name] = m.owner;
	}
	return {
		pools: poolsAt(db, now).map((p) => ({ id: p.id, assignment: p.assignment, placing: p.policy.placing, machines: machines.get(p.id) ?? [], site: p.site })),
		publications: publicationsAt(db, now).map((p) => ({ id: p.id, pools: p.pools, protocol: p.protocol })),
		grants: grantsAt(db, now).map((g) => ({ id: String(g.id), publication: g.publication, to: { kind: g.toKind, id: g.toKind === 'person' ? g.toLogin! : g.toId, name: g.toName }, conditions: g.conditions, channels: g.channels })),
		owners
	};
}
