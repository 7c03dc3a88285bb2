import { headroomAt } from '$lib/core/capacity/policy';
import { durationWords, FOREVER, MINUTE } from '$lib/core/time/units';
import { poolAt } from '../capacity/queries';
import { sleep, type Context } from '../context';
import { all, one, run } from '../db';
import { stepHandler, type StepHandler, type StepRun } from '../jobs/step';
import { ProviderError } from '../providers';
import type { FreshPeople } from './fresh-plans';

interface FreshInput {
	pool: string;
	machines: string[];
	/** The version that they are moved to; null: each is put back to its own. */
	number: string | null;
	people: FreshPeople;
	deadline: number;
	atOnce: number;
}

const LOOK = MINUTE;

interface Row {
	name: string;
	version: string;
	on: number;
	sessions: number;
}

export const freshSteps: Record<string, StepHandler> = {
	'machines.fresh': stepHandler<FreshInput>({
		async run(step) {
			const { ctx, input, job, n, log, cancelled, key } = step;
			const { db } = ctx;
			const began = one<{ began: number }>(db, 'SELECT began FROM job_steps WHERE job_id = ? AND n = ?', [
				job.id,
				n
			])!.began;
			const asked = new Set<number>();
			const running = new Map<string, Promise<void>>();
			const doneItems = () =>
				new Set(
					all<{ item: string }>(db, 'SELECT item FROM job_items WHERE job_id = ? AND n = ?', [job.id, n]).map(
						(i) => i.item
					)
				);
			for (;;) {
				if (cancelled()) throw new ProviderError('cancelled; machines that were not reached are as they were', false);
				const done = doneItems();
				const open = input.machines.filter((m) => !done.has(m));
				if (open.length === 0) break;
				const rows = rowsOf(ctx, open);
				const there = new Set(rows.map((r) => r.name));
				for (const gone of open.filter((m) => !there.has(m))) mark(step, gone, 'it is no longer there');
				await seeToPeople(step, rows, began, asked);
				let spare = spareOf(ctx, input.pool);
				for (const r of rows) {
					if (running.size >= input.atOnce) break;
					if (running.has(r.name) || (r.sessions > 0 && input.people !== 'now')) continue;
					// Machines that are up are only taken where the hour can spare them; in an emergency all are.
					if (r.on && input.people !== 'now') {
						if (spare.free < spare.each) continue;
						spare = { ...spare, free: spare.free - spare.each };
					}
					running.set(
						r.name,
						freshen(step, r, input.number ?? r.version, key(`fresh ${r.name}`)).finally(() => running.delete(r.name))
					);
				}
				await Promise.race([sleep(ctx.clock, LOOK), ...(running.size >= input.atOnce ? running.values() : [])]);
			}
			const failed = all<{ item: string }>(
				db,
				`SELECT item FROM job_items WHERE job_id = ? AND n = ? AND state = 'failed'`,
				[job.id, n]
			);
			log(
				failed.length
					? `${input.machines.length - failed.length} done; not ${failed.map((f) => f.item).join(', ')}`
					: `${input.machines.length} done`
			);
			return { result: { done: input.machines.length - failed.length, failed: failed.length } };
		}
	}),

	'volumes.move': stepHandler<{ moves: { machine: string; to: string }[] }>({
		async run(step) {
			const { ctx, input, job, n, cancelled, key, log } = step;
			const { db } = ctx;
			const to = new Map(input.moves.map((m) => [m.machine, m.to]));
			const running = new Map<string, Promise<void>>();
			for (;;) {
				if (cancelled()) throw new ProviderError('cancelled; disks that were not reached are where they were', false);
				const done = new Set(
					all<{ item: string }>(db, 'SELECT item FROM job_items WHERE job_id = ? AND n = ?', [job.id, n]).map(
						(i) => i.item
					)
				);
				const open = input.moves.map((m) => m.machine).filter((m) => !done.has(m));
				if (open.length === 0) break;
				const rows = rowsOf(ctx, open);
				for (const gone of open.filter((m) => !rows.some((r) => r.name === m)))
					mark(step, gone, 'it is no longer there');
				for (const r of rows) {
					if (running.size >= 3) break;
					if (running.has(r.name) || r.sessions > 0) continue;
					const work = async () => {
						if ((await ctx.providers.broker.setAside([r.name], true, key(`aside ${r.name} ${ctx.clock.now()}`))).length)
							return;
						try {
							await ctx.providers.compute.moveDisk(r.name, to.get(r.name)!, key(`disk ${r.name}`));
							mark(step, r.name, null);
						} catch (e) {
							if (!(e instanceof ProviderError)) throw e;
							mark(step, r.name, e.message);
						}
						await ctx.providers.broker.setAside([r.name], false, key(`back ${r.name}`));
					};
					running.set(
						r.name,
						work().finally(() => running.delete(r.name))
					);
				}
				await Promise.race([sleep(ctx.clock, LOOK), ...(running.size ? running.values() : [])]);
			}
			log(`${input.moves.length} disks moved`);
		}
	})
};

const rowsOf = (ctx: Context, machines: string[]): Row[] =>
	all<Row>(
		ctx.db,
		`SELECT m.name, pl.version, st.state <> 'off' AS "on", (SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.until = ${FOREVER}) AS sessions
		 FROM machines m JOIN machine_places pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} JOIN machine_states st ON st.machine_id = m.id AND st.until = ${FOREVER}
		 WHERE m.until = ${FOREVER} AND m.name IN (SELECT value FROM json_each(?)) ORDER BY m.name`,
		[JSON.stringify(machines)]
	);

/** Free places of a pool beyond its headroom, and how many one machine has. A personal pool can spare whatever is free. */
function spareOf(ctx: Context, id: string): { free: number; each: number } {
	const now = ctx.clock.now();
	const pool = poolAt(ctx.db, id, now);
	if (!pool || pool.assignment === 'personal') return { free: Infinity, each: 1 };
	const row = one<{ places: number | null; sessions: number | null }>(
		ctx.db,
		`SELECT count(*) * ?2 AS places, sum((SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.until = ${FOREVER})) AS sessions
		 FROM machines m JOIN machine_states st ON st.machine_id = m.id AND st.until = ${FOREVER} AND st.state IN ('ready', 'in use') WHERE m.pool_id = ?1 AND m.until = ${FOREVER}`,
		{ 1: id, 2: pool.perMachine }
	)!;
	return {
		free: (row.places ?? 0) - (row.sessions ?? 0) - headroomAt(pool.policy, pool.zone, now),
		each: pool.perMachine
	};
}

function mark(
	{ ctx, job, n, log }: Pick<StepRun, 'ctx' | 'job' | 'n' | 'log'>,
	machine: string,
	error: string | null
): void {
	run(ctx.db, 'INSERT INTO job_items VALUES (?, ?, ?, ?, ?) ON CONFLICT DO NOTHING', [
		job.id,
		n,
		machine,
		error === null ? 'done' : 'failed',
		error
	]);
	log(error === null ? `${machine}: done` : `${machine}: ${error}`);
}

/** Takes one machine out of use, puts it to the version, and gives it back. */
async function freshen(step: StepRun<FreshInput>, r: Row, version: string, key: string): Promise<void> {
	const { ctx, input } = step;
	const busy = await ctx.providers.broker.setAside([r.name], true, `${key} aside ${ctx.clock.now()}`);
	// Somebody has come in the meantime: it is theirs until they leave.
	if (busy.length && input.people !== 'now') return;
	try {
		await ctx.providers.compute.reset(r.name, version, key);
		mark(step, r.name, null);
	} catch (e) {
		if (!(e instanceof ProviderError)) throw e;
		mark(step, r.name, e.message);
	}
	await ctx.providers.broker.setAside([r.name], false, `${key} back`).catch(() => {});
}

async function seeToPeople(
	{ ctx, input, key, log }: StepRun<FreshInput>,
	rows: Row[],
	began: number,
	asked: Set<number>
): Promise<void> {
	if (input.people !== 'ask') return;
	const now = ctx.clock.now();
	const over = now >= began + input.deadline;
	for (const s of all<{ id: number; machine: string }>(
		ctx.db,
		`SELECT s.id, m.name AS machine FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE s.until = ${FOREVER} AND m.name IN (SELECT value FROM json_each(?))`,
		[JSON.stringify(rows.map((r) => r.name))]
	)) {
		try {
			if (over)
				await ctx.providers.agent.signOut(
					s.id,
					'signed out so that the machine can be put back to its image',
					key(`out ${s.id}`)
				);
			else if (!asked.has(s.id)) {
				asked.add(s.id);
				await ctx.providers.agent.message(
					s.id,
					`This desktop will be put back to its image. Please save your work and sign out within ${durationWords(began + input.deadline - now)}.`,
					key(`ask ${s.id}`)
				);
			}
		} catch (e) {
			if (!(e instanceof ProviderError)) throw e;
			log(`session ${s.id} on ${s.machine}: ${e.message}`);
		}
	}
}
