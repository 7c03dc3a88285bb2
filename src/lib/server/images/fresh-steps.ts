import { headroomAt } from '$lib/core/capacity/policy';
import { FOREVER, MINUTE } from '$lib/core/time/units';
import { poolAt } from '../capacity/queries';
import { sleep, type Context } from '../context';
import { all, one, run } from '../db';
import { stepHandler, type StepHandler, type StepRun } from '../jobs/step';
import { ProviderError } from '../providers';
import type { FreshPeople } from './fresh-plans';
import { seeToPeople } from './leaving';

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
			const { input, log } = step;
			const { done, failed } = await makeFresh(step, { ...input, versionOf: (m) => input.number ?? m.version });
			log(failed.length ? `${done.length} done; not ${failed.join(', ')}` : `${done.length} done`);
			return { result: { done: done.length, failed: failed.length } };
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
					running.set(
						r.name,
						outOfUse(step, r.name, false, () =>
							ctx.providers.compute.moveDisk(r.name, to.get(r.name)!, key(`disk ${r.name}`))
						).finally(() => running.delete(r.name))
					);
				}
				await Promise.race([sleep(ctx.clock, LOOK), ...(running.size ? running.values() : [])]);
			}
			log(`${input.moves.length} disks moved`);
		}
	})
};

/** Machines to put to a version each, and what happens with the people on them. */
export interface FreshWish {
	/** The pool whose headroom has to be kept; null: in an emergency none is. */
	pool: string | null;
	machines: string[];
	versionOf: (machine: { name: string; version: string }) => string;
	people: FreshPeople;
	/** After how long whoever was asked is signed out, ms. */
	deadline: number;
	atOnce: number;
}

/**
 * Puts machines to a version, so many at once, each when nobody is on it, or at once. Which are done stands with the job's
 * items: taken up again, it goes on with the others.
 */
export async function makeFresh(
	step: Pick<StepRun, 'ctx' | 'job' | 'n' | 'log' | 'key' | 'cancelled'>,
	wish: FreshWish
): Promise<{ done: string[]; failed: string[] }> {
	const { ctx, job, n, cancelled } = step;
	const { db } = ctx;
	const began = one<{ began: number }>(db, 'SELECT began FROM job_steps WHERE job_id = ? AND n = ?', [
		job.id,
		n
	])!.began;
	const running = new Map<string, Promise<void>>();
	const items = (state: 'done' | 'failed') =>
		all<{ item: string }>(db, 'SELECT item FROM job_items WHERE job_id = ? AND n = ? AND state = ?', [
			job.id,
			n,
			state
		]).map((i) => i.item);
	for (;;) {
		if (cancelled()) throw new ProviderError('cancelled; machines that were not reached are as they were', false);
		const ended = new Set([...items('done'), ...items('failed')]);
		const open = wish.machines.filter((m) => !ended.has(m));
		if (open.length === 0) return { done: items('done'), failed: items('failed') };
		const rows = rowsOf(ctx, open);
		const there = new Set(rows.map((r) => r.name));
		for (const gone of open.filter((m) => !there.has(m))) mark(step, gone, 'it is no longer there');
		await seeToPeople(step, open, {
			people: wish.people === 'ask' ? 'ask' : 'wait',
			until: began + wish.deadline,
			message: (left) =>
				`This desktop will be put back to its image. Please save your work and sign out within ${left}.`,
			endedBy: 'signed out so that the machine can be put back to its image'
		});
		let spare = wish.pool === null || wish.people === 'now' ? { free: Infinity, each: 1 } : spareOf(ctx, wish.pool);
		for (const r of rows) {
			if (running.size >= wish.atOnce) break;
			if (running.has(r.name) || (r.sessions > 0 && wish.people !== 'now')) continue;
			// Machines that are up are only taken where the hour can spare them; in an emergency all are.
			if (r.on) {
				if (spare.free < spare.each) continue;
				spare = { ...spare, free: spare.free - spare.each };
			}
			running.set(
				r.name,
				freshen(step, r, wish).finally(() => running.delete(r.name))
			);
		}
		await Promise.race([sleep(ctx.clock, LOOK), ...(running.size >= wish.atOnce ? running.values() : [])]);
	}
}

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

/** Takes one machine out of use, puts it to its version, and gives it back. */
async function freshen(
	step: Pick<StepRun, 'ctx' | 'job' | 'n' | 'log' | 'key'>,
	r: Row,
	wish: FreshWish
): Promise<void> {
	await outOfUse(step, r.name, wish.people === 'now', async () => {
		await step.ctx.providers.compute.reset(r.name, wish.versionOf(r), step.key(`fresh ${r.name}`));
	});
}

/**
 * Does something to a machine that nobody may be on: the broker sends nobody there meanwhile. Somebody who has come just
 * before keeps it until they leave, unless it cannot wait. How it ended stands with the job's items.
 */
async function outOfUse(
	step: Pick<StepRun, 'ctx' | 'job' | 'n' | 'log' | 'key'>,
	machine: string,
	atOnce: boolean,
	work: () => Promise<void>
): Promise<void> {
	const { broker } = step.ctx.providers;
	const at = step.ctx.clock.now();
	const busy = await broker.setAside([machine], true, step.key(`aside ${machine} ${at}`));
	if (busy.length === 0 || atOnce)
		try {
			await work();
			mark(step, machine, null);
		} catch (e) {
			if (!(e instanceof ProviderError)) throw e;
			mark(step, machine, e.message);
		}
	await broker.setAside([machine], false, step.key(`back ${machine} ${at}`)).catch(() => {});
}
