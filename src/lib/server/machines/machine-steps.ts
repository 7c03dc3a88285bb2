import { FOREVER } from '$lib/core/time/units';
import { changePool, poolAt } from '../pools';
import { one, type Db } from '../db';
import { insertRow } from '../db/rows';
import { writeHost } from '../estate';
import { changeAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';
import type { ExistingMachine } from '../providers';
import { machinesIn } from './machine-plans';
import { MACHINES_AT_ONCE } from './pool-plans';
import { untilObserved } from './pool-steps';

export const machineSteps = {
	// Before they are taken over: a physical machine is its own host, and has to be known when it is observed.
	'machines.note': stepHandler<{ machines: ExistingMachine[] }>({
		async run({ input }) {
			return {
				write: (db) => {
					for (const m of input.machines) {
						const { name, kind, system, users, generation } = m;
						insertRow(db, 'taken_machines', { name, kind, system, users, generation }, 'replace');
						if (kind === 'physical') writeHost(db, m.site, m, 0, 'keep');
					}
				}
			};
		}
	}),

	'machines.take-over': stepHandler<{ pool: string; machines: string[] }>({
		async run({ ctx, input, each }) {
			const pool = poolAt(ctx.db, input.pool, ctx.clock.now())!;
			const { directory, compute } = ctx.providers;
			const { done, failed } = await each(input.machines, MACHINES_AT_ONCE, async (name, key) => {
				const account = (await directory.accounts()).find((a) => a.name === name);
				if (!account) await directory.createAccount(name, pool.folder, `${key}-account`);
				else if (account.folder !== pool.folder) await directory.moveAccount(name, pool.folder, `${key}-folder`);
				await compute.takeOver(name, pool.id, pool.line, pool.perMachine, `${key}-machine`);
			});
			await untilObserved(ctx, done, true);
			return { result: { taken: done.length, failed: failed.length } };
		}
	}),

	'machines.give': stepHandler<{ give: { machine: string; person: string | null }[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const g of input.give) giveTo(db, g.machine, g.person, now);
				}
			};
		}
	}),

	'pool.boot-servers': stepHandler<{ pool: string; servers: string[] }>({
		async run({ ctx, input, key }) {
			await ctx.providers.compute.setBoot(
				machinesIn(ctx, input.pool).map((m) => m.name),
				input.servers,
				key('servers')
			);
			const now = ctx.clock.now();
			return { write: (db) => changePool(db, input.pool, { boot_servers: JSON.stringify(input.servers) }, now) };
		}
	})
};

/** Writes down who keeps a machine from now on. */
function giveTo(db: Db, machine: string, person: string | null, now: number): void {
	const m = one<{ id: number }>(db, `SELECT id FROM machines WHERE name = ? AND until = ${FOREVER}`, [machine]);
	if (!m) return;
	const owner = person === null ? null : one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [person])!.id;
	changeAt(db, 'machine_spots', { machine_id: m.id }, { owner_id: owner }, now);
}
