import { FOREVER, SECOND } from '$lib/core/time/units';
import { sleep, type Context } from '../context';
import { one, run, type Db } from '../db';
import { configureBroker } from '../engine/broker';
import { stepHandler, type StepHandler } from '../jobs/step';
import type { MachineSpec } from '../providers';
import { parseRule } from '$lib/core/images/follow';
import { poolAt } from '../capacity/queries';
import { versionToMake } from '../images/following';
import { writeRule } from '../images/version-steps';
import { deliveriesTo } from '../packages/delivery-plans';
import { closeDelivery } from '../packages/delivery-steps';
import type { PublicationRow } from './queries';
import { MACHINES_AT_ONCE } from './planner';

interface MakeInput {
	pool: string;
	machines: { name: string; host: string; volume: string }[];
}

export const publishingSteps: Record<string, StepHandler> = {
	'pool.write': stepHandler<Record<string, unknown> & { id: string; policy: unknown; priceHour: number }>({
		async run({ ctx, input: p }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const position = one<{ n: number }>(db, 'SELECT coalesce(max(position), 0) + 1 AS n FROM pools')!.n;
					run(db, 'INSERT INTO pools VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)', [
						p.id,
						now,
						FOREVER,
						p.name,
						p.site,
						p.line,
						p.version,
						p.assignment,
						p.perMachine,
						p.cores,
						p.memory,
						p.gpus,
						p.disk,
						p.naming,
						p.folder,
						p.network,
						JSON.stringify(p.policy),
						p.priceHour,
						position,
						p.pageFile ?? 0,
						p.pagePlace ?? 'overlay',
						JSON.stringify(p.bootServers ?? [])
					]);
					const rule = typeof p.follows === 'string' ? parseRule(p.follows) : null;
					writeRule(db, `pool/${p.id}`, rule ?? { takes: 'exactly', number: String(p.version) }, 'next sign-out', now);
				}
			};
		}
	}),

	'pool.close': stepHandler<{ pool: string }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					close(db, 'pools', input.pool, now);
					for (const d of deliveriesTo(db, input.pool)) closeDelivery(db, input.pool, d.package, now);
					writeRule(db, `pool/${input.pool}`, null, 'next sign-out', now);
					run(db, 'DELETE FROM unmade_machines WHERE pool_id = ?', [input.pool]);
				}
			};
		}
	}),

	'machines.make': stepHandler<MakeInput>({
		async run({ ctx, input, each, job }) {
			const pool = poolAt(ctx.db, input.pool, ctx.clock.now())!;
			const users = one<{ users: 'single' | 'multi' }>(ctx.db, 'SELECT users FROM lines WHERE id = ?', [
				pool.line
			])!.users;
			const version = versionToMake(ctx.db, pool, ctx.clock.now());
			const places = new Map(input.machines.map((m) => [m.name, m]));
			const { done, failed } = await each(
				input.machines.map((m) => m.name),
				MACHINES_AT_ONCE,
				async (name, key) => {
					const { host, volume } = places.get(name)!;
					const spec: MachineSpec = {
						name,
						pool: pool.id,
						host,
						volume,
						network: pool.network,
						line: pool.line,
						version,
						users,
						holds: pool.perMachine,
						cores: pool.cores,
						memory: pool.memory,
						gpus: pool.gpus,
						disk: pool.disk,
						pageFile: pool.pageFile,
						pageApart: pool.pagePlace === 'apart',
						bootServers: pool.bootServers
					};
					// An attempt before this one may have come as far as the account.
					const known = (await ctx.providers.directory.accounts()).find((a) => a.name === name);
					if (known?.folder !== pool.folder)
						await ctx.providers.directory.createAccount(name, pool.folder, `${key}-account`);
					await ctx.providers.compute.create(spec, `${key}-disk`);
					return (db: Db) =>
						void run(db, 'DELETE FROM unmade_machines WHERE pool_id = ? AND name = ?', [pool.id, name]);
				},
				(db, name, error) => {
					const { host, volume } = places.get(name)!;
					run(db, 'INSERT OR REPLACE INTO unmade_machines VALUES (?, ?, ?, ?, ?, ?, ?)', [
						pool.id,
						name,
						host,
						volume,
						error.message,
						job.id,
						ctx.clock.now()
					]);
				}
			);
			await untilObserved(ctx, done, true);
			return { result: { made: done.length, failed: failed.length } };
		}
	}),

	'machines.unmake': stepHandler<{ machines: string[] }>({
		async run({ ctx, input, each }) {
			const { done, failed } = await each(input.machines, MACHINES_AT_ONCE, (name, key) => unmake(ctx, name, key));
			await untilObserved(ctx, done, false);
			return { result: { removed: done.length, failed: failed.length } };
		}
	}),

	'broker.tell': stepHandler<Record<string, never>>({
		async run({ ctx, log }) {
			await configureBroker(ctx);
			log('the gateways know');
		}
	}),

	'publication.write': stepHandler<Omit<PublicationRow, 'since'>>({
		async run({ ctx, input: p }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const position = one<{ n: number }>(
						db,
						`SELECT coalesce((SELECT position FROM publications WHERE id = ? ORDER BY since DESC), (SELECT max(position) + 1 FROM publications), 0) AS n`,
						[p.id]
					)!.n;
					close(db, 'publications', p.id, now);
					run(db, 'INSERT INTO publications VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)', [
						p.id,
						now,
						FOREVER,
						p.name,
						p.internalName,
						p.icon,
						JSON.stringify(p.pools),
						p.protocol,
						position,
						p.app ? JSON.stringify(p.app) : null,
						p.description,
						JSON.stringify(p.look),
						JSON.stringify(p.visible),
						p.off ? 1 : 0,
						p.owner,
						p.licences,
						p.beyond
					]);
				}
			};
		}
	}),

	'publication.order': stepHandler<{ order: string[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) =>
					input.order.forEach((id, i) => {
						const row = one<Record<string, string | number | null>>(
							db,
							`SELECT * FROM publications WHERE id = ? AND until = ${FOREVER}`,
							[id]
						);
						if (!row || row.position === i) return;
						close(db, 'publications', id, now);
						const moved = { ...row, since: now, position: i };
						run(
							db,
							`INSERT INTO publications(${Object.keys(moved).join(', ')}) VALUES (${Object.keys(moved)
								.map(() => '?')
								.join(', ')})`,
							Object.values(moved)
						);
					})
			};
		}
	}),

	'publication.close': stepHandler<{ publication: string }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => close(db, 'publications', input.publication, now) };
		}
	})
};

/** Waits until what was made or removed has been observed: whoever sees the job done sees the machines as well. */
export async function untilObserved(ctx: Context, names: string[], there: boolean): Promise<void> {
	const wanted = there ? names.length : 0;
	const seen = () =>
		one<{ n: number }>(
			ctx.db,
			`SELECT count(*) AS n FROM machines WHERE until = ${FOREVER} AND name IN (SELECT value FROM json_each(?))`,
			[JSON.stringify(names)]
		)!.n;
	while (seen() !== wanted) await sleep(ctx.clock, SECOND);
}

/** Ends the row of a thing that is in force; one that began in the same millisecond never was. */
function close(db: Db, table: 'pools' | 'publications', id: string, now: number): void {
	run(db, `DELETE FROM ${table} WHERE id = ? AND since >= ?`, [id, now]);
	run(db, `UPDATE ${table} SET until = ? WHERE id = ? AND until > ?`, [now, id, now]);
}

/** Takes a machine away: one that was taken over is let go as it is, another is removed with its account. */
async function unmake(ctx: Context, name: string, key: string): Promise<((db: Db) => void) | void> {
	const taken = one<{ kind: string }>(ctx.db, 'SELECT kind FROM taken_machines WHERE name = ?', [name]);
	if (taken) {
		await ctx.providers.compute.letGo(name, `${key}-machine`);
		return (db) => void run(db, 'DELETE FROM taken_machines WHERE name = ?', [name]);
	}
	await ctx.providers.compute.remove(name, `${key}-machine`);
	await ctx.providers.directory.removeAccount(name, `${key}-account`);
}
