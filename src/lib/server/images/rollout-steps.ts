import { judgeGate } from '$lib/core/images/gate';
import { openings } from '$lib/core/images/shipping';
import { countWords, DAY, durationWords, FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { sleep, type Context } from '../context';
import { all, one, run, type Db } from '../db';
import { insertRow } from '../db/rows';
import { Cancelled, stepHandler, type StepRun } from '../jobs/step';
import {
	countBefore,
	countOn,
	machinesOfRollout,
	rolloutOfJob,
	type RolloutMachine,
	type RolloutRow,
	type RolloutSettings
} from './rollouts';
import { AT_ONCE } from './expected';
import { forgiveMoves } from './following';
import { makeFresh } from './fresh-steps';
import { seeToPeople } from './leaving';
import { markVersion, writeRule } from './version-steps';

/** Waves and gates look at their machines this often. */
const LOOK = MINUTE;

export const rolloutSteps = {
	'rollout.begin': stepHandler<{
		line: string;
		number: string;
		settings: RolloutSettings;
		waves: string[][];
		pools: string[];
	}>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					run(
						db,
						`INSERT INTO rollouts(job_id, line_id, number, settings, by, began, state) VALUES (?, ?, ?, ?, ?, ?, 'running')`,
						[job.id, input.line, input.number, JSON.stringify(input.settings), job.by, now]
					);
					const { id } = rolloutOfJob(db, job.id)!;
					const version = new Map(versionsNow(db));
					input.waves.forEach((machines, wave) => {
						for (const m of machines)
							run(
								db,
								`INSERT INTO rollout_machines(rollout_id, machine, wave, from_version, state) VALUES (?, ?, ?, ?, 'waiting')`,
								[id, m, wave, version.get(m) ?? '']
							);
					});
				}
			};
		}
	}),

	'rollout.wave': stepHandler<{ wave: number }>({
		async run(step) {
			const { ctx, input, job, log } = step;
			const r = rolloutOfJob(ctx.db, job.id)!;
			run(ctx.db, 'UPDATE rollouts SET wave = ? WHERE id = ?', [input.wave, r.id]);
			const began = one<{ began: number }>(ctx.db, 'SELECT began FROM job_steps WHERE job_id = ? AND n = ?', [
				job.id,
				step.n
			])!.began;
			await moveAll(
				step,
				r,
				machinesOfRollout(ctx.db, r.id, input.wave),
				(m) => m.state !== 'moved' && m.state !== 'failed',
				() => r.number,
				'moved',
				r.settings,
				began
			);
			const after = machinesOfRollout(ctx.db, r.id, input.wave);
			const failed = after.filter((m) => m.state === 'failed');
			log(
				`${countWords(after.filter((m) => m.state === 'moved').length, 'machine')} on ${r.number}${failed.length ? `; ${failed.map((m) => m.machine).join(', ')} failed to take it` : ''}`
			);
		}
	}),

	'rollout.gate': stepHandler<{ wave: number }>({
		async run(step) {
			const { ctx, input, job, n, log, cancelled } = step;
			const { db } = ctx;
			const r = rolloutOfJob(db, job.id)!;
			const s = r.settings;
			const began = one<{ began: number }>(db, 'SELECT began FROM job_steps WHERE job_id = ? AND n = ?', [
				job.id,
				n
			])!.began;
			for (;;) {
				if (cancelled()) return release(ctx, r);
				const now = ctx.clock.now();
				const decision = one<{ decision: string | null }>(db, 'SELECT decision FROM rollouts WHERE id = ?', [
					r.id
				])!.decision;
				const state = one<{ state: string }>(db, 'SELECT state FROM rollouts WHERE id = ?', [r.id])!.state;
				if (state === 'paused') {
					if (decision === null) {
						await sleep(ctx.clock, LOOK);
						continue;
					}
					run(db, `UPDATE rollouts SET state = 'running', decision = NULL WHERE id = ?`, [r.id]);
					log(`decided: ${decision}`);
					if (decision === 'go on') return;
					return decision === 'stop' ? stop(ctx, r) : giveBack(step, r, input.wave);
				}
				if (now < began + s.pause) {
					await sleep(ctx.clock, Math.min(LOOK * 5, began + s.pause - now));
					continue;
				}
				const { value, facts } = judge(db, r, input.wave, now);
				if (value === 'too few' && now < began + Math.max(s.pause, s.longest)) {
					await sleep(ctx.clock, 10 * LOOK);
					continue;
				}
				const gate = { rollout_id: r.id, wave: input.wave, at: now, verdict: value, facts: JSON.stringify(facts) };
				insertRow(db, 'rollout_gates', gate, 'replace');
				step.gotOn();
				for (const f of facts) log(f.words);
				if (value === 'passes') {
					log('the gate passes');
					return;
				}
				if (value === 'fails' && s.onFail === 'return') {
					log('the gate fails: the wave goes back');
					return giveBack(step, r, input.wave);
				}
				log(
					value === 'fails'
						? 'the gate fails: it waits for a decision'
						: `too few to tell after ${durationWords(now - began)}: it waits for a decision`
				);
				run(db, `UPDATE rollouts SET state = 'paused', decision = NULL WHERE id = ?`, [r.id]);
			}
		}
	}),

	'rollout.end': stepHandler<{ pools: string[] }>({
		async run({ ctx, input, job }) {
			const r = rolloutOfJob(ctx.db, job.id)!;
			const now = ctx.clock.now();
			return {
				result: { rollout: 'done' },
				write: (db) => {
					if (r.settings.then === 'release') markVersion(db, 'version_holds', r.line, r.number, false, now);
					else
						for (const p of input.pools)
							writeRule(db, `pool/${p}`, { takes: 'exactly', number: r.number }, 'next sign-out', now);
					for (const m of machinesOfRollout(db, r.id))
						writeRule(db, `machine/${m.machine}`, null, 'next sign-out', now);
					run(db, `UPDATE rollouts SET state = 'done', ended = ? WHERE id = ?`, [now, r.id]);
				}
			};
		}
	}),

	'rollout.decide': stepHandler<{ rollout: number; decision: string }>({
		async run({ ctx, input }) {
			run(ctx.db, `UPDATE rollouts SET decision = ? WHERE id = ? AND state = 'paused'`, [
				input.decision,
				input.rollout
			]);
		}
	}),

	'rollout.halt': stepHandler<{ rollout: number }>({
		async run({ ctx, input, log }) {
			const job = one<{ job: number }>(ctx.db, 'SELECT job_id AS job FROM rollouts WHERE id = ?', [input.rollout])!.job;
			run(ctx.db, `UPDATE jobs SET cancel = 1 WHERE id = ? AND ended IS NULL`, [job]);
			// The wave looks once a minute; it has to have let go before its machines are taken back.
			for (let i = 0; i < 60 && one(ctx.db, `SELECT 1 FROM jobs WHERE id = ? AND ended IS NULL`, [job]); i++)
				await sleep(ctx.clock, 10_000);
			log('the rollout has stopped');
		}
	}),

	'rollout.back': stepHandler<{ rollout: number; people: 'wait' | 'now' }>({
		async run(step) {
			const { ctx, input, log } = step;
			const { db } = ctx;
			const row = one<{ job: number }>(db, 'SELECT job_id AS job FROM rollouts WHERE id = ?', [input.rollout])!;
			const r = rolloutOfJob(db, row.job)!;
			const now = ctx.clock.now();
			db.transaction(() => {
				hold(db, r, now);
				letGo(db, r, now);
			}).immediate();
			const back = new Map(
				machinesOfRollout(db, r.id)
					.filter((m) => m.state === 'moved' || m.state === 'moving')
					.map((m) => [m.machine, m.from])
			);
			const { done, failed } = await makeFresh(step, {
				keepsHeadroom: false,
				machines: [...back.keys()],
				versionOf: (m) => back.get(m.name) ?? m.version,
				people: input.people,
				deadline: 0,
				atOnce: AT_ONCE
			});
			const ended = ctx.clock.now();
			log(failed.length ? `back, but for ${failed.join(', ')}` : 'everything is back');
			return {
				result: { rollout: 'returned' },
				write: (d) => {
					for (const m of done) mark(d, r.id, m, 'returned', ended);
					for (const m of failed) mark(d, r.id, m, 'failed', ended);
					run(d, `UPDATE rollouts SET state = 'returned', ended = ? WHERE id = ?`, [ended, r.id]);
				}
			};
		}
	})
};

const versionsNow = (db: Db): [string, string][] =>
	all<{ name: string; version: string }>(
		db,
		`SELECT m.name, pl.version FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} WHERE m.until = ${FOREVER}`
	).map((m) => [m.name, m.version]);

/** The wave's figures since its machines moved, against the same hours before and the machines that have not moved. */
function judge(db: Db, r: RolloutRow, wave: number, now: number): { value: string; facts: Fact[] } {
	const all_ = machinesOfRollout(db, r.id);
	const own = all_.filter((m) => m.wave <= wave && (m.state === 'moved' || m.state === 'failed'));
	const from = Math.max(r.began, Math.min(...own.map((m) => m.at ?? now), now));
	const names = own.map((m) => m.machine);
	const others = all_.filter((m) => m.wave > wave).map((m) => m.machine);
	return judgeGate(
		r.settings.limits,
		countOn(db, names, from, now),
		countBefore(db, names, from, now),
		countOn(db, others, from, now)
	);
}

/** Holds the version, so that nothing takes it as newest. */
const hold = (db: Db, r: RolloutRow, now: number): void =>
	markVersion(db, 'version_holds', r.line, r.number, true, now);

/** Takes the rollout's own rules off its machines: they follow their pools again. */
function letGo(db: Db, r: RolloutRow, now: number): void {
	for (const m of machinesOfRollout(db, r.id)) writeRule(db, `machine/${m.machine}`, null, 'next sign-out', now);
}

/** Lets go of machines that have not moved, when somebody has asked to cancel: what is done stays. */
function release(ctx: Context, r: RolloutRow): never {
	run(ctx.db, `UPDATE rollouts SET state = 'stopped', ended = ? WHERE id = ?`, [ctx.clock.now(), r.id]);
	ctx.db.transaction(() => letGo(ctx.db, r, ctx.clock.now())).immediate();
	throw new Cancelled('stopped; machines stay on the version that they are on');
}

function stop(ctx: Context, r: RolloutRow) {
	const now = ctx.clock.now();
	return {
		stop: true,
		result: { rollout: 'stopped' },
		write: (db: Db) => {
			letGo(db, r, now);
			run(db, `UPDATE rollouts SET state = 'stopped', ended = ? WHERE id = ?`, [now, r.id]);
		}
	};
}

/** Returns the machines of a wave, and those of the waves before it, to the version that they were on. */
async function giveBack(step: StepRun<{ wave: number }>, r: RolloutRow, wave: number) {
	const { ctx, log } = step;
	hold(ctx.db, r, ctx.clock.now());
	const now = ctx.clock.now();
	await moveAll(
		step,
		r,
		machinesOfRollout(ctx.db, r.id).filter((m) => m.wave <= wave),
		(m) => m.state === 'moved' || m.state === 'moving',
		(m) => m.from,
		'returned',
		{ ...r.settings, hours: { from: 0, until: 0 } },
		now
	);
	log(
		`back on ${[...new Set(machinesOfRollout(ctx.db, r.id, wave).map((m) => m.from))].join(', ')}; ${r.number} is held`
	);
	const ended = ctx.clock.now();
	return {
		stop: true,
		result: { rollout: 'returned' },
		write: (db: Db) => {
			letGo(db, r, ended);
			run(db, `UPDATE rollouts SET state = 'returned', ended = ? WHERE id = ?`, [ended, r.id]);
		}
	};
}

/**
 * Brings machines to a version each by giving each a rule of the rollout's own, and waits until every one has followed it
 * or has failed to: one way for machines to change, with the same reasons and the same care for capacity. Outside the hours
 * of the rollout the rules are those of before. People who are signed in are treated as was agreed.
 */
async function moveAll(
	step: Pick<StepRun, 'ctx' | 'log' | 'key' | 'cancelled' | 'gotOn'>,
	r: RolloutRow,
	machines: RolloutMachine[],
	wants: (m: RolloutMachine) => boolean,
	to: (m: RolloutMachine) => string,
	becomes: 'moved' | 'returned',
	s: RolloutSettings,
	began: number
): Promise<void> {
	const { ctx, cancelled } = step;
	const { db } = ctx;
	const zones = new Map(
		all<{ name: string; zone: string }>(
			db,
			`SELECT m.name, s.time_zone AS zone FROM machines m JOIN sites s ON s.id = m.site_id WHERE m.until = ${FOREVER}`
		).map((m) => [m.name, m.zone])
	);
	let open = machines.filter(wants);
	// What failed before the rollout was asked for is no reason against it.
	for (const m of open) forgiveMoves(db, m.machine, to(m), began);
	const given = new Map<string, string>();
	for (;;) {
		if (cancelled()) return release(ctx, r);
		const now = ctx.clock.now();
		const version = new Map(versionsNow(db));
		const still: RolloutMachine[] = [];
		db.transaction(() => {
			for (const m of open) {
				const wanted = to(m);
				const failures = one<{ n: number }>(
					db,
					`SELECT count(*) AS n FROM moves mv JOIN machines x ON x.id = mv.machine_id WHERE x.name = ? AND mv.to_version = ? AND mv.error IS NOT NULL AND mv.began >= ?`,
					[m.machine, wanted, began]
				)!.n;
				const busy =
					one(
						db,
						`SELECT 1 FROM moves mv JOIN machines x ON x.id = mv.machine_id WHERE x.name = ? AND mv.ended IS NULL`,
						[m.machine]
					) !== undefined;
				if (!version.has(m.machine) || failures >= 2) mark(db, r.id, m.machine, 'failed', now);
				else if (version.get(m.machine) === wanted && !busy) {
					mark(db, r.id, m.machine, becomes, now);
					step.gotOn();
				} else {
					still.push(m);
					const rule = inHours(s.hours, zones.get(m.machine) ?? 'Etc/UTC', now) ? wanted : version.get(m.machine)!;
					if (given.get(m.machine) !== rule) {
						given.set(m.machine, rule);
						writeRule(db, `machine/${m.machine}`, { takes: 'exactly', number: rule }, 'next sign-out', now, r.id);
						if (becomes === 'moved') mark(db, r.id, m.machine, 'moving', null);
					}
				}
			}
		}).immediate();
		open = still;
		if (open.length === 0) return;
		await seeToPeople(
			step,
			open.filter((m) => given.get(m.machine) === to(m)).map((m) => m.machine),
			{
				people: s.people,
				until: began + s.deadline,
				message: (left) =>
					s.people === 'ask'
						? `A new version of your desktop is ready. Please save your work and sign out within ${left}.`
						: `You will be signed out in ${left} for a new version of your desktop. Please save your work.`,
				endedBy: 'signed out for a new version of the desktop'
			}
		);
		await sleep(ctx.clock, LOOK);
	}
}

const mark = (db: Db, rollout: number, machine: string, state: string, at: number | null) =>
	run(db, 'UPDATE rollout_machines SET state = ?, at = coalesce(?, at) WHERE rollout_id = ? AND machine = ?', [
		state,
		at,
		rollout,
		machine
	]);

const inHours = (hours: { from: number; until: number }, zone: string, now: number) =>
	hours.from === hours.until ||
	openings({ ...hours, zone }, now - DAY, now + HOUR).some(([a, b]) => a <= now && now < b);
