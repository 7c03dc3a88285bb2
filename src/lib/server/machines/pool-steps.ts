import { parseRule } from '$lib/core/images/follow';
import { FOREVER, SECOND } from '$lib/core/time/units';
import { sleep, type Context } from '../context';
import { one, run, type Db } from '../db';
import { closeAt, putAt } from '../db/intervals';
import { insertRow } from '../db/rows';
import { versionToMake, writeRule } from '../images';
import { stepHandler } from '../jobs/step';
import { closeDelivery, deliveriesTo } from '../packages';
import { poolAt } from '../pools';
import type { MachineSpec } from '../providers';
import { MACHINES_AT_ONCE } from './pool-plans';

interface MakeInput {
	pool: string;
	machines: { name: string; host: string; volume: string }[];
}

/** A pool as a plan writes it down. */
interface PoolWrite {
	id: string;
	name: string;
	site: string;
	line: string;
	version: string;
	assignment: string;
	perMachine: number;
	cores: number;
	memory: number;
	gpus: number;
	disk: number;
	naming: string;
	folder: string;
	network: string;
	policy: unknown;
	priceHour: number;
	pageFile?: number;
	pageFileOn?: string;
	bootServers?: string[];
	follows?: string;
}

export const poolSteps = {
	'pool.write': stepHandler<PoolWrite>({
		async run({ ctx, input: p }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const position = one<{ n: number }>(db, 'SELECT coalesce(max(position), 0) + 1 AS n FROM pools')!.n;
					putAt(
						db,
						'pools',
						{
							id: p.id,
							name: p.name,
							site_id: p.site,
							line_id: p.line,
							version: p.version,
							assignment: p.assignment,
							per_machine: p.perMachine,
							cores: p.cores,
							memory: p.memory,
							gpus: p.gpus,
							disk: p.disk,
							naming: p.naming,
							folder: p.folder,
							network_id: p.network,
							policy: JSON.stringify(p.policy),
							price_hour: p.priceHour,
							position,
							page_file: p.pageFile ?? 0,
							page_file_on: p.pageFileOn ?? 'overlay',
							boot_servers: JSON.stringify(p.bootServers ?? [])
						},
						now
					);
					const rule = typeof p.follows === 'string' ? parseRule(p.follows) : null;
					writeRule(db, `pool/${p.id}`, rule ?? { takes: 'exactly', number: p.version }, 'next sign-out', now);
				}
			};
		}
	}),

	'pool.close': stepHandler<{ pool: string }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					closeAt(db, 'pools', { id: input.pool }, now);
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
			const spots = new Map(input.machines.map((m) => [m.name, m]));
			const { done, failed } = await each(
				input.machines.map((m) => m.name),
				MACHINES_AT_ONCE,
				async (name, key) => {
					const { host, volume } = spots.get(name)!;
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
						pageApart: pool.pageFileOn === 'apart',
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
					const { host, volume } = spots.get(name)!;
					const why = { reason: error.message, job_id: job.id, at: ctx.clock.now() };
					insertRow(db, 'unmade_machines', { pool_id: pool.id, name, host, volume, ...why }, 'replace');
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
