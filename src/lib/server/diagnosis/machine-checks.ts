import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all } from '../db';
import { closeAt, putAt } from '../db/intervals';

/** Runs the checks along the way to every machine that is up, and keeps those that fail as intervals. */
export async function sweepChecks(
	ctx: Context,
	machines: { id: number; name: string; state: string }[],
	now: number
): Promise<void> {
	const up = machines.filter((m) => m.state === 'ready' || m.state === 'in use' || m.state === 'failed');
	const failing = new Map((await ctx.providers.agent.sweep(up.map((m) => m.name))).map((f) => [f.machine, f.failing]));
	const open = all<{ machine_id: number; name: string }>(
		ctx.db,
		`SELECT machine_id, name FROM failing_checks WHERE until = ${FOREVER}`
	);
	ctx.db
		.transaction(() => {
			const known = new Set<string>();
			const byId = new Map(up.map((m) => [m.id, m.name]));
			for (const o of open) {
				const name = byId.get(o.machine_id);
				const still = name !== undefined && failing.get(name)?.name === o.name;
				if (still) known.add(`${o.machine_id}/${o.name}`);
				else closeAt(ctx.db, 'failing_checks', o, now);
			}
			for (const m of up) {
				const f = failing.get(m.name);
				if (f && !known.has(`${m.id}/${f.name}`))
					putAt(ctx.db, 'failing_checks', { machine_id: m.id, name: f.name, saw: f.saw }, now);
			}
		})
		.immediate();
}
