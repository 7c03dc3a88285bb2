import { decidePower, type PowerMachine } from '$lib/core/capacity/policy';
import { FOREVER } from '$lib/core/time/units';
import { all } from '../db';
import { insertRow } from '../db/rows';
import { poolsNow } from './queries';
import type { Context } from '../context';
import type { LiveMachine, Observed } from '../manifest';
import { fromJson } from '../db/json';

/** Machines that running and queued jobs name, by how they name them. */
const namedByJobs = (ctx: Context, as: 'machine' | 'fresh'): string[] =>
	all<{ object: string }>(
		ctx.db,
		`SELECT j.value AS object FROM jobs, plans p, json_each(iif(json_valid(p.touches), p.touches, '{}'), '$.objects') j WHERE jobs.plan_id = p.id AND jobs.state IN ('running', 'queued') AND jobs.not_before <= ?`,
		[ctx.clock.now()]
	).flatMap((r) => (r.object.startsWith(`${as}/`) ? [r.object.slice(as.length + 1)] : []));

/** Machines that jobs work on, or that are on their way to another version: the policy keeps its hands off them. */
export function machinesInJobs(ctx: Context): Set<string> {
	const moving = all<{ name: string }>(
		ctx.db,
		'SELECT m.name FROM moves mv JOIN machines m ON m.id = mv.machine_id WHERE mv.ended IS NULL'
	).map((m) => m.name);
	return new Set([...moving, ...namedByJobs(ctx, 'machine')]);
}

/**
 * Those, and the machines that a job is making fresh as people leave them: follow rules leave them alone until it has ended.
 * Their pool's policy does not: it may take hours, and capacity has to follow the day meanwhile.
 */
export const machinesNotToMove = (ctx: Context): Set<string> =>
	new Set([...machinesInJobs(ctx), ...namedByJobs(ctx, 'fresh')]);

/**
 * Lets every shared pool's policy act for this minute. What it starts and stops is written down with its
 * facts before the provider is asked; a call that fails is tried again by the next minute's decision.
 */
export function powerMinute(ctx: Context, machines: Observed['machines'], now: number): void {
	const byPool = new Map<string, LiveMachine[]>();
	for (const m of machines.values()) {
		const list = byPool.get(m.pool);
		if (list) list.push(m);
		else byPool.set(m.pool, [m]);
	}
	// Hundreds may wait for the same pools in the same order.
	const waits = all<{ pools: string; n: number }>(
		ctx.db,
		`SELECT pools, count(*) AS n FROM waits WHERE until = ${FOREVER} GROUP BY pools`
	).map((w) => ({ pools: fromJson<string[]>('waits.pools', w.pools), n: w.n }));
	const held = machinesInJobs(ctx);
	for (const pool of poolsNow(ctx.db, now)) {
		if (pool.assignment !== 'shared') {
			stopIdlePersonal(ctx, pool.policy.patience, byPool.get(pool.id) ?? [], held, now);
			continue;
		}
		const pooled: PowerMachine[] = (byPool.get(pool.id) ?? []).map((m) => ({
			name: m.name,
			state: m.state,
			sessions: m.sessions,
			idleSince: m.idleSince,
			held: held.has(m.name)
		}));
		// Somebody who could be served by several pools waits for the first of them, unless that one is at its most.
		const waiting = waits
			.filter((w) => w.pools[0] === pool.id || (w.pools.includes(pool.id) && isFull(w.pools[0]!, byPool)))
			.reduce((n, w) => n + w.n, 0);
		const decision = decidePower(pool.policy, pool.zone, now, pool.perMachine, pooled, waiting);
		for (const action of decision.value)
			act(
				ctx,
				machines.get(action.machine)!,
				action.action,
				action.why.map((f) => f.words),
				JSON.stringify(action.why),
				now
			);
	}
}

const isFull = (pool: string, byPool: Map<string, LiveMachine[]>) =>
	(byPool.get(pool) ?? []).every((m) => m.state !== 'off');

function stopIdlePersonal(
	ctx: Context,
	patience: number,
	machines: LiveMachine[],
	held: Set<string>,
	now: number
): void {
	for (const m of machines) {
		if (m.state !== 'ready' || m.sessions > 0 || held.has(m.name) || now - m.idleSince < patience) continue;
		const why = `nobody has used it since it became idle, longer than the patience of the pool`;
		act(ctx, m, 'stop', [why], JSON.stringify([{ words: why, side: 'for' }]), now);
	}
}

/** Starts or stops a machine, and writes down why before the provider is asked. */
export function act(
	ctx: Context,
	m: LiveMachine,
	action: 'start' | 'stop',
	words: string[],
	facts: string,
	now: number
): void {
	insertRow(ctx.db, 'power_actions', { machine_id: m.id, at: now, action, facts }, 'replace');
	const why = `${action === 'start' ? 'started' : 'stopped'} by its pool’s policy: ${words.at(-1)}`;
	const call = action === 'start' ? ctx.providers.compute.start : ctx.providers.compute.stop;
	// Until the provider reports, the machine counts as on its way, so that the next minute does not ask again.
	m.state = action === 'start' ? 'starting' : 'leaving';
	call(m.name, why, `power-${m.name}-${now}`).catch(() => {
		m.state = action === 'start' ? 'off' : 'ready';
	});
}
