import { addChange } from '../changes';
import { sleep, type Context } from '../context';
import { all, one, run } from '../db';
import { insertRow } from '../db/rows';
import { Failure } from '../providers';
import { lookAgain, planById } from '../plans';
import { problemCodeOf } from '../providers/failures';
import { ThreadLost } from '../providers/remote';
import type { ProblemCode } from '$lib/core/why/problems';
import { countWords } from '$lib/core/time/units';
import { passes } from '../db/storage';
import { stepHandlers } from '../jobs/catalogue';
import { addNotice } from '../jobs/notices';
import { Cancelled, type StepHandler, type StepRun } from '../jobs/step';
import { fromJsonOrNull } from '../db/json';
import { logOf } from '../log';

const log = logOf('jobs');

/** How often a provider call that may be tried again is tried in all. */
const TRIES = 3;
/** A job that was running when a thread ended so many times, or the process without a step getting done, is not taken up again. */
const THREAD_ENDS = 2;
const PROCESS_ENDS = 5;
/** A job that could not go on, since a thread or the disk was away, is taken up again after this long, ms of the wall. */
const BREATH = 1000;

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
		/** Run after every job, however it ended. */
		private readonly afterJob: () => Promise<void>,
		private readonly handlers: Readonly<Record<string, StepHandler>> = stepHandlers()
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
				.catch((e: unknown) => this.broke(job.id, e))
				.finally(() => this.active.delete(job.id));
			this.active.set(job.id, work);
		}
	}

	/**
	 * What a job meets that is no fault of a provider. A thread or a disk that is away is waited for; whatever else it is, it ends this
	 * job, and nothing beside it. Never throws.
	 */
	private async broke(job: number, e: unknown): Promise<void> {
		try {
			if (e instanceof ThreadLost) {
				if (e.during) this.countEnd(job, e.message);
				return await breath();
			}
			if (passes(e)) return await breath();
			log.error({ job, err: e }, 'a job met what nobody foresaw');
			this.end(job, 'failed', e instanceof Error ? e.message : String(e), undefined, problemCodeOf(e) ?? 'fault');
		} catch (again) {
			// It could not even be written down: it is taken up again, and ends then.
			if (!passes(again)) log.error({ job, err: again }, 'a job could not be ended');
			await breath();
		}
	}

	private countEnd(job: number, words: string): void {
		const { db, clock } = this.ctx;
		db.transaction(() => {
			run(db, 'UPDATE jobs SET thread_ends = thread_ends + 1 WHERE id = ?', [job]);
			run(db, 'INSERT INTO job_log(job_id, n, at, line) VALUES (?, 0, ?, ?)', [job, clock.now(), words]);
		}).immediate();
		this.changed(job);
	}

	/** Ends a job that brings threads or the process down each time that it is taken up. True when it has. */
	private setAside(job: number): boolean {
		const { db } = this.ctx;
		const row = one<{ thread_ends: number; process_ends: number }>(
			db,
			'SELECT thread_ends, process_ends FROM jobs WHERE id = ?',
			[job]
		);
		if (!row || (row.thread_ends < THREAD_ENDS && row.process_ends < PROCESS_ENDS)) return false;
		run(db, 'UPDATE jobs SET set_aside = 1 WHERE id = ?', [job]);
		const step = one<{ n: number; words: string }>(
			db,
			`SELECT n, words FROM job_steps WHERE job_id = ? AND state IN ('running', 'queued') ORDER BY n LIMIT 1`,
			[job]
		);
		const what =
			row.thread_ends >= THREAD_ENDS
				? `a thread of Sextant ended ${countWords(row.thread_ends, 'time')} while it worked on it`
				: `Sextant itself ended ${countWords(row.process_ends, 'time')} while it worked on it`;
		this.end(
			job,
			'failed',
			`It was set aside: ${what}${step ? `, at step ${step.n + 1}, ${step.words}` : ''}. It is not taken up again; what was done until then stands in its log.`,
			step?.n,
			'set-aside'
		);
		return true;
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
		if (this.setAside(id)) return;
		if (waited) {
			// It was agreed to some time ago: what it does may have become something else.
			const why = await lookAgain(this.ctx, id);
			if (why) {
				const words = why.map((f) => f.words).join('; ');
				return this.end(
					id,
					'failed',
					`It was not carried out, because the plan no longer holds: ${words}`,
					undefined,
					'refused'
				);
			}
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
		const handler = Object.hasOwn(this.handlers, step.kind) ? this.handlers[step.kind] : undefined;
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
				run(db, 'UPDATE jobs SET process_ends = 0 WHERE id = ?', [job]);
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
			if (error instanceof ThreadLost || passes(error)) throw error;
			// A step that ends because somebody asked it to has not failed; one that fails meanwhile has.
			if (error instanceof Cancelled) {
				if (error.message) stepRun.log(error.message);
				this.end(job, 'cancelled', null, step.n);
				return 'over';
			}
			if (!(error instanceof Failure)) log.error({ job, step: step.kind, err: error }, 'a step failed');
			stepRun.log(`failed: ${error.message}`);
			this.end(
				job,
				'failed',
				`Step ${step.n + 1}, ${step.words}: ${error.message}`,
				step.n,
				problemCodeOf(error) ?? 'fault'
			);
			return 'over';
		}
	}

	private stepRun(job: number, step: RawStep): StepRun {
		const { ctx } = this;
		const { db, clock } = ctx;
		const head = one<{ id: number; title: string; by: string; operator: number | null; assignment: number | null }>(
			db,
			'SELECT id, title, by, operator_id AS operator, assignment_id AS assignment FROM jobs WHERE id = ?',
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
			input: inputOf(step),
			key,
			log,
			cancelled: () => this.cancelAsked(job),
			gotOn: () => void run(db, 'UPDATE jobs SET process_ends = 0 WHERE id = ?', [job]),
			each: async (items, atOnce, work, onFail) => {
				const known = new Map(
					all<{ item: string; state: string; error: string | null }>(
						db,
						'SELECT item, state, error FROM job_items WHERE job_id = ? AND n = ?',
						[job, step.n]
					).map((i) => [i.item, i])
				);
				const left = items.filter((i) => !known.has(i));
				let broken = false;
				const worker = async () => {
					for (let item = left.shift(); item !== undefined && !broken; item = left.shift()) {
						if (this.cancelAsked(job)) throw new Cancelled();
						const name = item;
						try {
							const write = await tryAgain(ctx, (attempt) => work(name, `${key(name)}-${attempt}`));
							db.transaction(() => {
								write?.(db);
								run(db, 'UPDATE jobs SET process_ends = 0 WHERE id = ?', [job]);
								insertRow(db, 'job_items', { job_id: job, n: step.n, item: name, state: 'done' });
							}).immediate();
							known.set(name, { item: name, state: 'done', error: null });
						} catch (e) {
							if (!(e instanceof Failure)) throw e;
							db.transaction(() => {
								onFail?.(db, name, e);
								insertRow(db, 'job_items', { job_id: job, n: step.n, item: name, state: 'failed', error: e.message });
							}).immediate();
							log(`${name}: ${e.message}`);
							known.set(name, { item: name, state: 'failed', error: e.message });
						}
						this.changed(job);
					}
				};
				// When one breaks, the others finish what they hold and begin nothing more: a job that is over leaves nobody at work.
				const workers = Array.from({ length: Math.min(atOnce, Math.max(1, left.length)) }, () =>
					worker().catch((e: unknown) => {
						broken = true;
						throw e;
					})
				);
				for (const outcome of await Promise.allSettled(workers))
					if (outcome.status === 'rejected') throw outcome.reason;
				const rows = [...known.values()];
				return {
					done: rows.filter((r) => r.state === 'done').map((r) => r.item),
					failed: rows.filter((r) => r.state === 'failed').map((r) => ({ item: r.item, error: r.error! }))
				};
			}
		};
	}

	/** Ends a job: its state, its line in the change log and the word to whoever started it, in one transaction. */
	private end(
		job: number,
		state: 'done' | 'failed' | 'cancelled',
		error: string | null,
		step?: number,
		problem: ProblemCode | null = state === 'cancelled' ? 'cancelled' : null
	): void {
		const { db, clock } = this.ctx;
		const now = clock.now();
		const row = one<{ plan_id: number; title: string; by: string; operator_id: number | null; kind: string }>(
			db,
			'SELECT * FROM jobs WHERE id = ?',
			[job]
		)!;
		const plan = planById(db, row.plan_id);
		db.transaction(() => {
			const open = run(
				db,
				`UPDATE jobs SET state = ?, ended = ?, error = ?, problem = ? WHERE id = ? AND ended IS NULL`,
				[state, now, error, problem, job]
			);
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
				via: plan?.via ?? '',
				kind: row.kind,
				title: row.title,
				objects: plan?.objects ?? [],
				planId: row.plan_id,
				jobId: job,
				outcome: state,
				undo: state === 'done' ? (plan?.undo ?? null) : null
			});
			if (row.operator_id !== null)
				addNotice(db, {
					operator: row.operator_id,
					job,
					at: now,
					title: `${row.title}: ${state}`,
					good: state === 'done'
				});
		}).immediate();
		this.changed(job);
		this.afterJob().catch(() => {});
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
}

/** What cannot be read is not guessed: the job ends, and says so. */
function inputOf(step: RawStep): unknown {
	try {
		return JSON.parse(step.input) as unknown;
	} catch {
		throw new Error(`what step ${step.n + 1} is to do cannot be read`);
	}
}

const breath = () => new Promise<void>((resolve) => setTimeout(resolve, BREATH));

/** Tries a provider call again when it says that this may help, a little later each time. */
async function tryAgain<T>(ctx: Context, work: (attempt: number) => Promise<T>): Promise<T> {
	for (let attempt = 1; ; attempt++) {
		try {
			return await work(attempt);
		} catch (e) {
			if (!(e instanceof Failure) || !e.retry || attempt >= TRIES) throw e;
			await sleep(ctx.clock, attempt * 5000);
		}
	}
}
