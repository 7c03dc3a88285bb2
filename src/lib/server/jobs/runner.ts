import { addChange } from '../changes';
import { sleep, type Context } from '../context';
import { all, one, run } from '../db';
import { ProviderError } from '../providers';
import { planById } from '../plans';
import { planKindOf } from '../plans/catalogue';
import { parseInput } from '../plans';
import { whatGotWorse } from '$lib/core/plans/effects';
import { STEP_HANDLERS } from './catalogue';
import type { StepRun } from './step';
import { fromJsonOrNull } from '../db/json';

/** How often a provider call that may be tried again is tried in all. */
const TRIES = 3;

interface RawStep {
	n: number;
	kind: string;
	words: string;
	input: string;
	state: string;
}

/**
 * Carries jobs out. Everything it knows stands in the database, written before the work; a runner that
 * starts over a database with half-done jobs takes them up at the step, and the item, where they were.
 */
export class JobRunner {
	private readonly active = new Map<number, Promise<void>>();
	private stopped = false;

	constructor(
		private readonly ctx: Context,
		/** Told of every visible move of a job. */
		private readonly changed: (job: number) => void,
		/** Run after a job that changed what people may open. */
		private readonly afterJob: () => Promise<void>
	) {}

	/** Begins jobs that are due. Call it often: it is cheap when nothing is. */
	tick(): void {
		if (this.stopped) return;
		const { db, clock } = this.ctx;
		const due = all<{ id: number; state: string }>(
			db,
			`SELECT id, state FROM jobs WHERE state IN ('queued', 'running') OR (state = 'waiting' AND (not_before <= ? OR cancel = 1)) ORDER BY id`,
			[clock.now()]
		);
		for (const job of due) {
			if (this.active.has(job.id)) continue;
			const work = this.runJob(job.id, job.state === 'waiting')
				.catch((e: unknown) => this.end(job.id, 'failed', e instanceof Error ? e.message : String(e)))
				.finally(() => this.active.delete(job.id));
			this.active.set(job.id, work);
		}
	}

	/** Waits until no job is running; for tests and a clean stop. */
	async idle(): Promise<void> {
		while (this.active.size) await Promise.all(this.active.values());
	}

	stop(): void {
		this.stopped = true;
	}

	private async runJob(id: number, waited: boolean): Promise<void> {
		const { db, clock } = this.ctx;
		if (this.cancelAsked(id)) return this.end(id, 'cancelled', null);
		if (waited) {
			// It was agreed to some time ago: what it does may have become something else.
			const worse = await this.stillHolds(id);
			if (worse) return this.end(id, 'failed', `It was not carried out, because the plan no longer holds: ${worse}`);
		}
		run(db, `UPDATE jobs SET state = 'running', began = coalesce(began, ?) WHERE id = ?`, [clock.now(), id]);
		this.changed(id);
		const steps = all<RawStep>(db, 'SELECT n, kind, words, input, state FROM job_steps WHERE job_id = ? ORDER BY n', [
			id
		]);
		for (const step of steps) {
			if (step.state === 'done' || step.state === 'skipped') continue;
			if (this.cancelAsked(id)) return this.end(id, 'cancelled', null);
			const outcome = await this.runStep(id, step);
			if (outcome !== 'go on') return;
		}
		this.end(id, 'done', null);
	}

	private async runStep(job: number, step: RawStep): Promise<'go on' | 'over'> {
		const { ctx } = this;
		const { db, clock } = ctx;
		const handler = STEP_HANDLERS[step.kind];
		if (!handler) throw new Error(`no step of kind ${step.kind}`);
		run(db, `UPDATE job_steps SET state = 'running', began = coalesce(began, ?) WHERE job_id = ? AND n = ?`, [
			clock.now(),
			job,
			step.n
		]);
		this.changed(job);
		const stepRun = this.stepRun(job, step);
		try {
			const outcome = await handler.run(stepRun as StepRun<never>);
			db.transaction(() => {
				outcome?.write?.(db);
				run(db, `UPDATE job_steps SET state = 'done', ended = ? WHERE job_id = ? AND n = ?`, [
					clock.now(),
					job,
					step.n
				]);
				if (outcome?.stop) run(db, `UPDATE job_steps SET state = 'skipped' WHERE job_id = ? AND n > ?`, [job, step.n]);
				if (outcome?.result) {
					const before = one<{ result: string | null }>(db, 'SELECT result FROM jobs WHERE id = ?', [job])!.result;
					run(db, 'UPDATE jobs SET result = ? WHERE id = ?', [
						JSON.stringify({ ...fromJsonOrNull<object>('jobs.result', before), ...outcome.result }),
						job
					]);
				}
			}).immediate();
			this.changed(job);
			if (outcome?.stop) {
				this.end(job, 'done', null);
				return 'over';
			}
			return 'go on';
		} catch (e) {
			const error = e instanceof Error ? e : new Error(String(e));
			// A step that ends because somebody asked it to has not failed.
			if (error instanceof Cancelled || (error instanceof ProviderError && this.cancelAsked(job))) {
				if (!(error instanceof Cancelled)) stepRun.log(error.message);
				this.end(job, 'cancelled', null, step.n);
				return 'over';
			}
			if (!(error instanceof ProviderError)) console.error(error);
			stepRun.log(`failed: ${error.message}`);
			this.end(job, 'failed', `Step ${step.n + 1}, ${step.words}: ${error.message}`, step.n);
			return 'over';
		}
	}

	private stepRun(job: number, step: RawStep): StepRun {
		const { ctx } = this;
		const { db, clock } = ctx;
		const head = one<{ id: number; title: string; by: string; operator: number | null }>(
			db,
			'SELECT id, title, by, operator_id AS operator FROM jobs WHERE id = ?',
			[job]
		)!;
		const key = (what: string) => `job-${job}-${step.n}-${what}`;
		const log = (line: string) => {
			run(db, 'INSERT INTO job_log(job_id, n, at, line) VALUES (?, ?, ?, ?)', [job, step.n, clock.now(), line]);
			this.changed(job);
		};
		return {
			ctx,
			job: head,
			n: step.n,
			input: JSON.parse(step.input) as unknown,
			key,
			log,
			cancelled: () => this.cancelAsked(job),
			each: async (items, atOnce, work, onFail) => {
				const known = new Map(
					all<{ item: string; state: string; error: string | null }>(
						db,
						'SELECT item, state, error FROM job_items WHERE job_id = ? AND n = ?',
						[job, step.n]
					).map((i) => [i.item, i])
				);
				const todo = items.filter((i) => !known.has(i));
				const worker = async () => {
					for (let item = todo.shift(); item !== undefined; item = todo.shift()) {
						if (this.cancelAsked(job)) throw new Cancelled();
						const name = item;
						try {
							const write = await tryAgain(ctx, (attempt) => work(name, `${key(name)}-${attempt}`));
							db.transaction(() => {
								write?.(db);
								run(db, `INSERT INTO job_items VALUES (?, ?, ?, 'done', NULL)`, [job, step.n, name]);
							}).immediate();
							known.set(name, { item: name, state: 'done', error: null });
						} catch (e) {
							if (!(e instanceof ProviderError)) throw e;
							db.transaction(() => {
								onFail?.(db, name, e);
								run(db, `INSERT INTO job_items VALUES (?, ?, ?, 'failed', ?)`, [job, step.n, name, e.message]);
							}).immediate();
							log(`${name}: ${e.message}`);
							known.set(name, { item: name, state: 'failed', error: e.message });
						}
						this.changed(job);
					}
				};
				await Promise.all(Array.from({ length: Math.min(atOnce, Math.max(1, todo.length)) }, worker));
				const rows = [...known.values()];
				return {
					done: rows.filter((r) => r.state === 'done').map((r) => r.item),
					failed: rows.filter((r) => r.state === 'failed').map((r) => ({ item: r.item, error: r.error! }))
				};
			}
		};
	}

	/** Ends a job: its state, its line in the change log and the word to whoever started it, in one transaction. */
	private end(job: number, state: 'done' | 'failed' | 'cancelled', error: string | null, step?: number): void {
		const { db, clock } = this.ctx;
		const now = clock.now();
		const row = one<{ plan_id: number; title: string; by: string; operator_id: number | null; kind: string }>(
			db,
			'SELECT * FROM jobs WHERE id = ?',
			[job]
		)!;
		const plan = planById(db, row.plan_id)!;
		db.transaction(() => {
			const open = run(db, `UPDATE jobs SET state = ?, ended = ?, error = ? WHERE id = ? AND ended IS NULL`, [
				state,
				now,
				error,
				job
			]);
			if (open.changes === 0) return;
			if (step !== undefined)
				run(db, `UPDATE job_steps SET state = 'failed', ended = ?, error = ? WHERE job_id = ? AND n = ?`, [
					now,
					error ?? 'cancelled',
					job,
					step
				]);
			addChange(db, {
				at: now,
				by: row.by,
				via: plan.via,
				kind: row.kind,
				title: row.title,
				objects: plan.objects,
				planId: plan.id,
				jobId: job,
				outcome: state,
				undo: state === 'done' ? plan.undo : null
			});
			if (row.operator_id !== null)
				run(db, 'INSERT OR IGNORE INTO notices(operator_id, job_id, at, title, good) VALUES (?, ?, ?, ?, ?)', [
					row.operator_id,
					job,
					now,
					`${row.title}: ${state}`,
					state === 'done' ? 1 : 0
				]);
		}).immediate();
		this.changed(job);
		void this.afterJob();
		const mail =
			row.operator_id === null
				? undefined
				: one<{ login: string }>(db, 'SELECT login FROM operators WHERE id = ?', [row.operator_id]);
		if (mail) {
			const body = [
				row.title,
				'',
				`It ${state === 'done' ? 'is done' : state === 'failed' ? 'has failed' : 'was cancelled'}.`,
				...(error ? [error] : [])
			].join('\n');
			this.ctx.providers.mail.send(mail.login, `Job ${job}: ${state}`, body, `job-${job}-mail`).catch(() => {});
		}
	}

	private cancelAsked(job: number): boolean {
		return one<{ cancel: number }>(this.ctx.db, 'SELECT cancel FROM jobs WHERE id = ?', [job])?.cancel === 1;
	}

	private async stillHolds(job: number): Promise<string | null> {
		const plan = planById(
			this.ctx.db,
			one<{ plan_id: number }>(this.ctx.db, 'SELECT plan_id FROM jobs WHERE id = ?', [job])!.plan_id
		)!;
		const kind = planKindOf(plan.kind)!;
		try {
			const fresh = await kind.draft(this.ctx, parseInput(kind.schema, plan.input));
			const why = [...fresh.blocks, ...whatGotWorse(plan.effects, fresh.effects)];
			return why.length ? why.map((f) => f.words).join('; ') : null;
		} catch (e) {
			return e instanceof Error ? e.message : String(e);
		}
	}
}

/** Somebody has asked the job to stop. */
class Cancelled extends Error {}

/** Tries a provider call again when it says that this may help, a little later each time. */
async function tryAgain<T>(ctx: Context, work: (attempt: number) => Promise<T>): Promise<T> {
	for (let attempt = 1; ; attempt++) {
		try {
			return await work(attempt);
		} catch (e) {
			if (!(e instanceof ProviderError) || !e.retry || attempt >= TRIES) throw e;
			await sleep(ctx.clock, attempt * 5000);
		}
	}
}
