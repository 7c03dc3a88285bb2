import { headroomAt } from '$lib/core/capacity/policy';
import { FOREVER, MINUTE } from '$lib/core/time/units';
import { poolAt } from '../pools';
import { sleep, type Context } from '../context';
import { all, one } from '../db';
import { insertRow } from '../db/rows';
import { Cancelled, stepHandler, type StepRun } from '../jobs/step';
import { Failure } from '../providers';
import { DISKS_AT_ONCE } from './expected';
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
	pool: string;
	version: string;
	on: number;
	sessions: number;
}

export const freshSteps = {
	'machines.fresh': stepHandler<FreshInput>({
		async run(step) {
			const { input, log } = step;
			const { done, failed } = await makeFresh(step, {
				...input,
				keepsHeadroom: input.people !== 'now',
				versionOf: (m) => input.number ?? m.version
			});
			log(failed.length ? `${done.length} done; not ${failed.join(', ')}` : `${done.length} done`);
			return { result: { done: done.length, failed: failed.length } };
		}
	}),

	'volumes.move': stepHandler<{
		moves: { machine: string; to: string }[];
		people?: FreshPeople;
		deadline?: number;
		atOnce?: number;
	}>({
		async run(step) {
			const { ctx, input, key, log } = step;
			const to = new Map(input.moves.map((m) => [m.machine, m.to]));
			const { done, failed } = await takeTurns(step, {
				machines: [...to.keys()],
				people: input.people ?? 'wait',
				deadline: input.deadline ?? 0,
				atOnce: input.atOnce ?? DISKS_AT_ONCE,
				keepsHeadroom: input.people !== 'now',
				overSessions: false,
				told: 'The disk of this desktop will be moved.',
				endedBy: 'signed out so that the disk of the machine can be moved',
				work: (r) => ctx.providers.compute.moveDisk(r.name, to.get(r.name)!, key(`disk ${r.name}`))
			});
			log(failed.length ? `${done.length} disks moved; not ${failed.join(', ')}` : `${done.length} disks moved`);
			return { result: { done: done.length, failed: failed.length } };
		}
	})
};

/** Machines to put to a version each, and what happens with the people on them. */
interface FreshWish {
	machines: string[];
	versionOf: (machine: { name: string; version: string }) => string;
	people: FreshPeople;
	/** After how long whoever was asked is signed out, ms. */
	deadline: number;
	atOnce: number;
	/** Whether the headroom of their pools has to be kept; in an emergency it is not. */
	keepsHeadroom: boolean;
}

/** Puts machines to a version, so many at once, each when nobody is on it, or at once. */
export const makeFresh = (step: TurnStep, { versionOf, ...wish }: FreshWish) =>
	takeTurns(step, {
		...wish,
		overSessions: wish.people === 'now',
		told: 'This desktop will be put back to its image.',
		endedBy: 'signed out so that the machine can be put back to its image',
		work: (r) => step.ctx.providers.compute.reset(r.name, versionOf(r), step.key(`fresh ${r.name}`))
	});

type TurnStep = Pick<StepRun, 'ctx' | 'job' | 'n' | 'log' | 'key' | 'cancelled' | 'gotOn'>;

/** Machines to which something is to be done while nobody is on them. */
interface TurnWish extends Omit<FreshWish, 'versionOf'> {
	/** Whether the work itself ends the sessions of a machine, so that it need not wait for their end. */
	overSessions: boolean;
	/** What people who are asked to leave are told that will happen. */
	told: string;
	/** What a session that was signed out has ended by. */
	endedBy: string;
	work: (machine: Row) => Promise<void>;
}

/**
 * Takes machines out of use in turn, so many at once, and does the work on each. Which are done stands with the job's items:
 * taken up again, it goes on with the others.
 */
async function takeTurns(step: TurnStep, wish: TurnWish): Promise<{ done: string[]; failed: string[] }> {
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
		if (cancelled()) throw new Cancelled('cancelled; machines that were not reached are as they were');
		const ended = new Set([...items('done'), ...items('failed')]);
		const open = wish.machines.filter((m) => !ended.has(m));
		if (open.length === 0) return { done: items('done'), failed: items('failed') };
		const rows = rowsOf(ctx, open);
		const there = new Set(rows.map((r) => r.name));
		for (const gone of open.filter((m) => !there.has(m))) mark(step, gone, 'it is no longer there');
		await seeToPeople(step, open, {
			people: wish.people === 'wait' || wish.overSessions ? 'wait' : 'ask',
			until: wish.people === 'now' ? began : began + wish.deadline,
			message: (left) => `${wish.told} Please save your work and sign out within ${left}.`,
			endedBy: wish.endedBy
		});
		const spare = new Map<string, { free: number; each: number }>();
		for (const r of rows) {
			if (running.size >= wish.atOnce) break;
			if (running.has(r.name) || (r.sessions > 0 && !wish.overSessions)) continue;
			// Machines that are up are only taken where the hour can spare them; in an emergency all are.
			if (r.on && wish.keepsHeadroom) {
				const own = spare.get(r.pool) ?? spareOf(ctx, r.pool);
				if (own.free < own.each) {
					if (!spare.has(r.pool)) await startStandIn(step, r.pool, new Set(open));
					spare.set(r.pool, own);
					continue;
				}
				spare.set(r.pool, { ...own, free: own.free - own.each });
			}
			running.set(
				r.name,
				outOfUse(step, r.name, wish.overSessions, () => wish.work(r)).finally(() => running.delete(r.name))
			);
		}
		await Promise.race([sleep(ctx.clock, LOOK), ...(running.size >= wish.atOnce ? running.values() : [])]);
	}
}

const rowsOf = (ctx: Context, machines: string[]): Row[] =>
	all<Row>(
		ctx.db,
		`SELECT m.name, m.pool_id AS pool, pl.version, st.state <> 'off' AS "on", (SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.until = ${FOREVER}) AS sessions
		 FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} JOIN machine_states st ON st.machine_id = m.id AND st.until = ${FOREVER}
		 WHERE m.until = ${FOREVER} AND m.name IN (SELECT value FROM json_each(?)) ORDER BY m.name`,
		[JSON.stringify(machines)]
	);

/** Free seats of a pool beyond its headroom, and how many one machine has. A personal pool can spare whatever is free. */
function spareOf(ctx: Context, id: string): { free: number; each: number } {
	const now = ctx.clock.now();
	const pool = poolAt(ctx.db, id, now);
	if (!pool || pool.assignment === 'personal') return { free: Infinity, each: 1 };
	const row = one<{ seats: number | null; sessions: number | null }>(
		ctx.db,
		`SELECT count(*) * ?2 AS seats, sum((SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.until = ${FOREVER})) AS sessions
		 FROM machines m JOIN machine_states st ON st.machine_id = m.id AND st.until = ${FOREVER} AND st.state IN ('ready', 'in use') WHERE m.pool_id = ?1 AND m.until = ${FOREVER}`,
		{ 1: id, 2: pool.perMachine }
	)!;
	return {
		free: (row.seats ?? 0) - (row.sessions ?? 0) - headroomAt(pool.policy, pool.zone, now),
		each: pool.perMachine
	};
}

/**
 * Where every seat that is up is needed, a machine that is done already, or has nothing to be done to it, is started to
 * stand in for the next one, within the most that the pool may have up.
 */
async function startStandIn(
	{ ctx, key, log }: Pick<StepRun, 'ctx' | 'key' | 'log'>,
	id: string,
	open: ReadonlySet<string>
): Promise<void> {
	const now = ctx.clock.now();
	const pool = poolAt(ctx.db, id, now);
	if (!pool) return;
	const own = all<{ id: number; name: string; state: string }>(
		ctx.db,
		`SELECT m.id, m.name, st.state FROM machines m JOIN machine_states st ON st.machine_id = m.id AND st.until = ${FOREVER}
		 WHERE m.pool_id = ? AND m.until = ${FOREVER} ORDER BY m.name`,
		[id]
	);
	if (own.some((m) => m.state === 'starting' || m.state === 'agent up')) return;
	if (own.filter((m) => m.state !== 'off').length >= pool.policy.most) return;
	const next = own.find((m) => m.state === 'off' && !open.has(m.name));
	if (!next) return;
	const words = 'it stands in while others of its pool are taken out of use';
	const facts = JSON.stringify([{ words, side: 'for', source: 'plan' }]);
	insertRow(ctx.db, 'power_actions', { machine_id: next.id, at: now, action: 'start', facts }, 'replace');
	try {
		await ctx.providers.compute.start(next.name, words, key(`stand-in ${next.name} ${now}`));
	} catch (e) {
		if (!(e instanceof Failure)) throw e;
		log(`${next.name} did not start to stand in: ${e.message}`);
	}
}

function mark(
	{ ctx, job, n, log, gotOn }: Pick<StepRun, 'ctx' | 'job' | 'n' | 'log' | 'gotOn'>,
	machine: string,
	error: string | null
): void {
	const state = error === null ? 'done' : 'failed';
	insertRow(ctx.db, 'job_items', { job_id: job.id, n, item: machine, state, error }, 'keep');
	gotOn();
	log(error === null ? `${machine}: done` : `${machine}: ${error}`);
}

/**
 * Does something to a machine that nobody may be on: the broker sends nobody there meanwhile. Somebody who has come just
 * before keeps it until they leave, unless it cannot wait. How it ended stands with the job's items.
 */
async function outOfUse(
	step: Pick<StepRun, 'ctx' | 'job' | 'n' | 'log' | 'key' | 'gotOn'>,
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
			if (!(e instanceof Failure)) throw e;
			mark(step, machine, e.message);
		}
	await broker.setAside([machine], false, step.key(`back ${machine} ${at}`)).catch(() => {});
}
