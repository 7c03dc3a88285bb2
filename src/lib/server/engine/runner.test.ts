import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { changesBefore } from '../changes';
import { all, one } from '../db';
import type { Context } from '../context';
import { verifyData } from '../verify';
import { ProviderError } from '../providers';
import { Harness, NEW_POOL, testEstate } from '../testing/harness';
import { askToCancel, failedItems, jobById, logOf, recentJobs, runningJobs, stepsOf } from '../jobs';
import { EVERYTHING } from '$lib/core/scope/scope';
import { run } from '../db';
import { ThreadLost } from '../providers/remote';
import { needsAt } from '../house/needs';
import { STEP_HANDLERS } from '../areas';
import { JobRunner } from './runner';
import type { StepHandler } from '../jobs/step';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(testEstate());
	await h.live(10 * MINUTE);
});

const pool = { ...NEW_POOL, count: 6 };

/** Lets everything live with a runner of one's own for as long as `going`. */
async function liveWith(runner: JobRunner, going: () => boolean, step = 2000): Promise<void> {
	for (let i = 0; going() && i < 5000; i++) {
		h.server.advance(h.lab.now + step);
		await h.engine.observe();
		runner.tick();
		await new Promise((resolve) => setTimeout(resolve, 1));
	}
}
const runner = (ctx = h.ctx) =>
	new JobRunner(
		ctx,
		() => {},
		async () => {}
	);
/** A runner whose process dies: from then on nothing that it waits for ever comes back to it. */
function mortal(): { runner: JobRunner; die(): void } {
	let dead = false;
	const never = new Promise<never>(() => {});
	const providers = Object.fromEntries(
		Object.entries(
			h.ctx.providers as unknown as Record<string, Record<string, (...a: unknown[]) => Promise<unknown>>>
		).map(([name, provider]) => [
			name,
			Object.fromEntries(
				Object.entries(provider).map(([call, real]) => [
					call,
					async (...args: unknown[]) => {
						if (dead) return never;
						const result = await real(...args);
						return dead ? never : result;
					}
				])
			)
		])
	) as unknown as Context['providers'];
	const it = runner({ ...h.ctx, providers });
	return {
		runner: it,
		die: () => {
			dead = true;
			it.stop();
		}
	};
}
const madeNames = () =>
	all<{ name: string }>(h.db, `SELECT name FROM machines WHERE pool_id = 'new-desks' ORDER BY name`).map((m) => m.name);

describe('a runner that starts over half-done work', () => {
	test('takes a job up at the item where it was; nothing is made twice or left out', async () => {
		const first = mortal();
		const job = await h.commit((await h.draft('pool.create', pool)).id);
		await liveWith(first.runner, () => madeNames().length < 2);
		first.die();
		const half = madeNames().length;
		expect(half).toBeLessThan(6);

		const second = runner();
		await liveWith(second, () => jobById(h.db, job, h.lab.now)!.ended === null);
		expect(jobById(h.db, job, h.lab.now)).toMatchObject({ state: 'done', result: { made: 6, failed: 0 } });
		expect(madeNames()).toEqual(['nw-01', 'nw-02', 'nw-03', 'nw-04', 'nw-05', 'nw-06']);
		expect(all(h.db, 'SELECT item FROM job_items WHERE job_id = ?', [job])).toHaveLength(6);
		expect(changesBefore(h.db, h.lab.now)).toHaveLength(1);
		expect(verifyData(h.db)).toEqual([]);
	});

	test('asks the provider with the same keys, so that what was begun is found again', async () => {
		const calls: string[] = [];
		const { create } = h.ctx.providers.compute;
		h.ctx.providers.compute.create = (spec, key) => {
			calls.push(key);
			return create(spec, key);
		};
		const first = mortal();
		const job = await h.commit((await h.draft('pool.create', { ...pool, count: 1 })).id);
		await liveWith(first.runner, () => calls.length === 0);
		first.die();
		await liveWith(runner(), () => jobById(h.db, job, h.lab.now)!.ended === null);
		expect(calls.length).toBeGreaterThan(1);
		expect(new Set(calls).size).toBe(1);
		expect(madeNames()).toEqual(['nw-01']);
	});

	test('leaves alone what has ended', async () => {
		const job = await h.carryOut('policy.set', { pool: 'quay', headroomIn: 2 });
		const log = logOf(h.db, job.id);
		const again = runner();
		again.tick();
		await again.idle();
		expect(jobById(h.db, job.id, h.lab.now)).toMatchObject({ state: 'done', ended: job.ended });
		expect(logOf(h.db, job.id)).toEqual(log);
	});
});

describe('a provider that says no', () => {
	test('may be asked again, three times in all, a little later each time', async () => {
		const times: number[] = [];
		const real = h.ctx.providers.directory.createAccount;
		h.ctx.providers.directory.createAccount = (name, folder, key) => {
			if (name !== 'nw-01') return real(name, folder, key);
			times.push(h.lab.now);
			return times.length < 3
				? Promise.reject(new ProviderError('the directory is busy', true))
				: real(name, folder, key);
		};
		const job = await h.carryOut('pool.create', { ...pool, count: 2 });
		expect(job).toMatchObject({ state: 'done', result: { made: 2, failed: 0 } });
		expect(times).toHaveLength(3);
		expect(times[1]! - times[0]!).toBeGreaterThanOrEqual(5000);
		expect(times[2]! - times[1]!).toBeGreaterThanOrEqual(10_000);
	});

	test('for good: the item is listed with its reason, the others go on', async () => {
		const real = h.ctx.providers.directory.createAccount;
		let asked = 0;
		h.ctx.providers.directory.createAccount = (name, folder, key) => {
			if (name !== 'nw-02') return real(name, folder, key);
			asked++;
			return Promise.reject(new ProviderError('the folder is read-only', false));
		};
		const job = await h.carryOut('pool.create', { ...pool, count: 3 });
		expect(asked).toBe(1);
		expect(job).toMatchObject({ state: 'done', result: { made: 2, failed: 1 } });
		expect(failedItems(h.db, job.id)).toEqual([{ item: 'nw-02', error: 'the folder is read-only' }]);
		expect(stepsOf(h.db, job.id).find((s) => s.items.failed)!.items).toEqual({ done: 2, failed: 1 });
		expect(logOf(h.db, job.id).map((l) => l.line)).toContain('nw-02: the folder is read-only');
	});

	test('in a step of one piece: the job fails and names the step; what came before stays', async () => {
		h.ctx.providers.network.setAnnounced = () => Promise.reject(new ProviderError('no route to the gateway', false));
		const job = await h.carryOut('gateway.set-port', { gateway: 'quay-gw', protocol: 'stream', port: 4000 });
		expect(job).toMatchObject({ state: 'failed', error: 'Step 1, Announce port 4000: no route to the gateway' });
		const change = changesBefore(h.db, h.lab.now)[0]!;
		expect(change).toMatchObject({ outcome: 'failed', undo: null });
		expect(
			one<{ announced: number }>(
				h.db,
				`SELECT announced FROM gateway_ports WHERE gateway_id = 'quay-gw' AND protocol = 'stream'`
			)
		).toEqual({
			announced: 3478
		});
	});
});

describe('cancelling', () => {
	test('a job that waits for its time ends at once, with nothing done', async () => {
		const job = await h.commit((await h.draft('pool.create', pool)).id, h.lab.now + 60 * MINUTE);
		expect(askToCancel(h.db, job)).toBe(true);
		await h.finish(job);
		expect(jobById(h.db, job, h.lab.now)).toMatchObject({ state: 'cancelled', began: null });
		expect(madeNames()).toEqual([]);
		expect(askToCancel(h.db, job)).toBe(false);
	});

	test('between machines: those that are made stay, the rest is never begun', async () => {
		const job = await h.commit((await h.draft('pool.create', { ...pool, count: 12 })).id);
		for (let i = 0; madeNames().length < 1 && i < 200; i++) await h.live(5000);
		askToCancel(h.db, job);
		expect(jobById(h.db, job, h.lab.now)!.cancelling).toBe(true);
		const ended = await h.finish(job);
		expect(ended.state).toBe('cancelled');
		const made = madeNames().length;
		expect(made).toBeGreaterThan(0);
		expect(made).toBeLessThan(12);
		expect(verifyData(h.db)).toEqual([]);
	});
});

describe('what is told of jobs', () => {
	test('progress grows from nothing to one, and the expected end comes nearer', async () => {
		const job = await h.commit((await h.draft('image.build', { line: 'desk' })).id);
		let last = 0;
		let seen = 0;
		for (let i = 0; i < 400; i++) {
			const row = jobById(h.db, job, h.lab.now)!;
			expect(row.progress).toBeGreaterThanOrEqual(last - 0.02);
			last = Math.max(last, row.progress);
			if (row.state === 'running') {
				seen++;
				expect(row.expectedEnd!).toBeGreaterThanOrEqual(h.lab.now);
			}
			if (row.ended !== null) break;
			await h.live(5000);
			await new Promise((resolve) => setTimeout(resolve, 1));
		}
		expect(seen).toBeGreaterThan(10);
		expect(jobById(h.db, job, h.lab.now)).toMatchObject({ state: 'done', progress: 1, expectedEnd: null });
		expect(recentJobs(h.db, h.lab.now)[0]!.id).toBe(job);
		expect(runningJobs(h.db, h.lab.now)).toEqual([]);
		expect(recentJobs(h.db, h.lab.now - 24 * 60 * MINUTE)).toEqual([]);
	});
});

describe('a step that goes wrong', () => {
	// Each of them is said in the log, as it has to be.
	afterEach(() => vi.restoreAllMocks());

	/** A runner in which each kind of step does this instead. */
	const odd = (does: StepHandler['run']) =>
		new JobRunner(
			h.ctx,
			() => {},
			async () => {},
			new Proxy(
				{},
				{
					getOwnPropertyDescriptor: () => ({ configurable: true, enumerable: true, value: 1 }),
					get: () => ({ run: does })
				}
			)
		);
	async function through(r: JobRunner): Promise<NonNullable<ReturnType<typeof jobById>>> {
		const job = await h.commit((await h.draft('policy.set', { pool: 'quay', headroomIn: 2 })).id);
		await liveWith(r, () => jobById(h.db, job, h.lab.now)!.ended === null);
		return jobById(h.db, job, h.lab.now)!;
	}

	test.each<[string, StepHandler['run'], RegExp]>([
		['throws', () => Promise.reject(new TypeError('odd')), /odd/],
		[
			'throws at once',
			() => {
				throw new TypeError('odd');
			},
			/odd/
		],
		['throws what is no error', () => Promise.reject('odd'), /odd/],
		['throws nothing', () => Promise.reject(undefined), /undefined/],
		[
			'writes what cannot be written',
			async () => ({ write: (db) => void run(db, 'INSERT INTO nowhere VALUES (1)') }),
			/nowhere/
		]
	])('and %s ends its job, with its reason, and nothing else', async (_how, does, words) => {
		expect(await through(odd(does))).toMatchObject({ state: 'failed', error: expect.stringMatching(words) });
		expect((await h.carryOut('policy.set', { pool: 'quay', headroomIn: 4 })).state).toBe('done');
		expect(verifyData(h.db)).toEqual([]);
	});

	test('of each kind there is: it ends its job, and the next one runs', async () => {
		for (const kind of Object.keys(STEP_HANDLERS)) {
			const job = await h.commit((await h.draft('policy.set', { pool: 'quay', headroomIn: 2 })).id);
			run(h.db, `UPDATE job_steps SET kind = ?, input = '{"odd":[null]}' WHERE job_id = ?`, [kind, job]);
			// Some wait for what never comes: they are asked to stop.
			const r = runner();
			for (let i = 0; i < 60 && jobById(h.db, job, h.lab.now)!.ended === null; i++) {
				h.server.advance(h.lab.now + 60_000);
				r.tick();
				if (i === 20) askToCancel(h.db, job);
				await new Promise((resolve) => setTimeout(resolve, 1));
			}
			expect([kind, jobById(h.db, job, h.lab.now)!.ended !== null]).toEqual([kind, true]);
		}
	});

	test('a failure while a cancel is asked for is a failure', async () => {
		const ended = await through(
			odd(async ({ job }) => {
				askToCancel(h.db, job.id);
				throw new ProviderError('the volume is on fire', false);
			})
		);
		expect(ended).toMatchObject({ state: 'failed', error: expect.stringMatching(/on fire/) });
	});

	test('whose thread ends is taken up again once; at the second time its job is set aside, and Today says so', async () => {
		let tries = 0;
		const ended = await through(
			odd(async () => {
				tries++;
				throw new ThreadLost('packer', true);
			})
		);
		expect(tries).toBe(2);
		expect(ended).toMatchObject({
			state: 'failed',
			error: expect.stringMatching(/set aside: a thread .* ended 2 times/)
		});
		expect(logOf(h.db, ended.id).map((l) => l.line)).toContainEqual(expect.stringMatching(/packer thread ended/));
		const { needs } = needsAt(h.db, EVERYTHING, h.lab.now);
		expect(needs).toContainEqual(expect.objectContaining({ unit: 'job set aside' }));
	});

	test('that finds no thread, no room on the disk, or another that writes for long waits for it, however often', async () => {
		let tries = 0;
		const ended = await through(
			odd(async () => {
				tries++;
				if (tries < 2) throw new ThreadLost('packer', false);
				if (tries < 3) throw Object.assign(new Error('database or disk is full'), { code: 'SQLITE_FULL' });
				if (tries < 5) throw Object.assign(new Error('database is locked'), { code: 'SQLITE_BUSY_SNAPSHOT' });
			})
		);
		expect(tries).toBeGreaterThanOrEqual(5);
		expect(ended.state).toBe('done');
	});

	test('a job during which the process ended again and again without getting on is set aside', async () => {
		const job = await h.commit((await h.draft('policy.set', { pool: 'quay', headroomIn: 2 })).id);
		run(h.db, `UPDATE jobs SET state = 'running', process_ends = 5 WHERE id = ?`, [job]);
		expect(await h.finish(job)).toMatchObject({
			state: 'failed',
			error: expect.stringMatching(/Sextant itself ended/)
		});
	});
});
