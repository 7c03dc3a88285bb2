import { beforeEach, describe, expect, test } from 'vitest';
import { GB, HOUR, MINUTE } from '$lib/core/time/units';
import { addChange, changesBefore, firstBrokenChange } from '../changes';
import { poolAt } from '../pools';
import { all, one, run } from '../db';
import { verifyData } from '../verify';
import { asRole, type Caller } from '../identity/caller';
import { logOf, stepsOf } from '../jobs';
import { decided } from '../testing/decided';
import { withDesks } from '../testing/estates';
import { Harness, NEW_POOL, OWNER, testEstate } from '../testing/harness';
import { cancelJob, NotAllowed, PlanRefused, planById, recomputePlan } from './index';
import { InputProblem } from './kind';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of();
	await h.live(20 * MINUTE);
});

const pool = NEW_POOL;

describe('drafting', () => {
	test('changes nothing', async () => {
		const before = decided(h);
		await h.draft('pool.create', pool);
		await h.draft('grant.remove', { grant: 1 });
		expect(decided(h)).toEqual(before);
		expect(changesBefore(h.db, h.lab.now)).toEqual([]);
	});

	test('wrong input is named by field', async () => {
		const error = (await h
			.draft('pool.create', { ...pool, count: 0, name: ' ' })
			.catch((e: unknown) => e)) as InputProblem;
		expect(error).toBeInstanceOf(InputProblem);
		expect(error.problems.map((p) => p.field).sort()).toEqual(['count', 'name']);
		await expect(h.draft('pool.create', { ...pool, naming: 'nodigits' })).rejects.toThrow(/Add a run of #/);
		await expect(h.draft('pool.create', { ...pool, line: 'none' })).rejects.toThrow(/no image line called none/);
		await expect(h.draft('no.such', {})).rejects.toThrow(/no kind of plan/);
		const said = async (input: unknown) =>
			((await h.draft('gateway.set-port', input).catch((e: unknown) => e)) as InputProblem).problems;
		expect(await said({ gateway: 'quay-gw', protocol: 'stream' })).toEqual([
			{ field: 'port', words: 'port is missing.' }
		]);
		expect(await said({ gateway: 'quay-gw', protocol: 'stream', port: 5, colour: 'red' })).toEqual([
			{ field: 'colour', words: 'There is no field colour here.' }
		]);
		expect(await said({ gateway: 7, protocol: 'stream', port: 5 })).toEqual([
			{ field: 'gateway', words: 'gateway has to be string, not 7.' }
		]);
		expect((await said('everything'))[0]!.words).toBe('the input has to be Object, not "everything".');
	});

	test('says what is short, and is then not to be committed', async () => {
		const plan = await h.draft('pool.create', { ...pool, count: 45, memory: 4 * GB, naming: 'nw-###' });
		expect(plan.blocks.map((b) => b.words).join()).toMatch(/addresses missing/);
		await expect(h.commit(plan.id)).rejects.toThrow(PlanRefused);
	});

	test('passes over names that machines or accounts have', async () => {
		h.lab.world.accounts.set('nw-01', 'desks/isle');
		const plan = await h.draft('pool.create', pool);
		expect(plan.effects.machines.map((m) => m.id)).toEqual(['nw-02', 'nw-03', 'nw-04']);
		expect(plan.warnings[0]!.words).toMatch(/nw-01 is passed over: an account in desks\/isle/);
	});

	test('a condition names who loses access, from the sign-ins they made', async () => {
		h = await Harness.of(testEstate('e2e/small.yaml', withDesks));
		await h.live(6 * HOUR, 20_000);
		const plan = await h.draft('grant.change', { grant: 1, conditions: { managedEndpoint: true }, channels: [] });
		expect(plan.effects.people.filter((p) => p.how === 'loses access').map((p) => p.name)).toEqual([
			'Cleo Mast',
			'Dag Keel'
		]);
		const hours = await h.draft('grant.change', {
			grant: 1,
			conditions: { hours: { days: [6], from: 0, until: 60 } },
			channels: []
		});
		expect(hours.effects.people.filter((p) => p.how === 'loses access').length).toBeGreaterThanOrEqual(3);
	});
});

describe('committing', () => {
	test('two plans that touch the same thing: the second is refused with what changed, and holds once recomputed', async () => {
		const a = await h.draft('policy.set', { pool: 'quay', headroomIn: 2 });
		const b = await h.draft('policy.set', { pool: 'quay', headroomOut: 2 });
		await h.finish(await h.commit(a.id));
		await expect(h.commit(b.id)).rejects.toThrow(
			/pool quay has been changed since: Change the policy of Desks Quay, by Runa Solheim/
		);
		expect(planById(h.db, b.id)!.refused).toHaveLength(1);
		await recomputePlan(h.ctx, OWNER, b.id);
		expect((await h.finish(await h.commit(b.id))).state).toBe('done');
		expect(
			JSON.parse(
				one<{ policy: string }>(h.db, `SELECT policy FROM pools WHERE id = 'quay' ORDER BY since DESC`)!.policy
			)
		).toMatchObject({ headroomIn: 2, headroomOut: 2 });
	});

	test('a plan on what a job works on is blocked until the job has ended', async () => {
		const first = await h.commit((await h.draft('pool.create', pool)).id);
		h.runner.tick();
		const second = await h.draft('pool.grow', { pool: 'isle', count: 1 });
		expect(second.blocks).toEqual([]);
		const remove = await h.draft('policy.set', { pool: 'isle', headroomIn: 0 });
		expect(remove.blocks).toEqual([]);
		await h.finish(first);
		const clash = await h.commit((await h.draft('pool.grow', { pool: 'new-desks', count: 1 })).id);
		expect((await h.draft('pool.remove', { pool: 'new-desks' })).blocks[0]!.words).toMatch(
			/is working on pool new-desks/
		);
		await h.finish(clash);
		expect((await h.draft('pool.remove', { pool: 'new-desks' })).blocks).toEqual([]);
	});

	test('is refused when somebody new would be hit', async () => {
		await h.live(2 * HOUR, 20_000);
		const { name } = one<{ name: string }>(
			h.db,
			`SELECT m.name FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE s.until > ${h.lab.now} LIMIT 1`
		)!;
		const plan = await h.draft('machine.restart', { machines: [name] });
		expect(plan.effects.sessionsEnded.length).toBeGreaterThan(0);
		const machine = h.lab.world.machines.get(name)!;
		machine.holds = 5;
		run(
			h.db,
			`INSERT INTO sessions SELECT 9999, (SELECT id FROM people WHERE login = 'eve'), machine_id, publication_id, gateway_id, protocol, since, until, sign_in, NULL, 0 FROM sessions WHERE machine_id = (SELECT id FROM machines WHERE name = ?) LIMIT 1`,
			[name]
		);
		await expect(h.commit(plan.id)).rejects.toThrow(/Eve Sloop would now be affected/);
	});

	test('holds when only more people would be helped by it', async () => {
		h.lab.apply({ kind: 'fault', fault: 'gateway-port', target: 'quay-gw/stream', value: 4000 });
		await h.live(6 * MINUTE);
		const lost = (login: string) =>
			run(
				h.db,
				`INSERT INTO connections SELECT (SELECT coalesce(max(id), 0) + 1 FROM connections), id, 'desk', 'quay-gw', 'stream', '10.1.0.9', ?1, ?1, 'lost', NULL, NULL, NULL, 0, 0, '[]', '[]', NULL FROM people WHERE login = ?2`,
				{ 1: h.lab.now, 2: login }
			);
		lost('anna');
		const plan = await h.draft('gateway.set-port', { gateway: 'quay-gw', protocol: 'stream', port: 3478 });
		expect(plan.effects.people.map((p) => p.id)).toContain('anna');
		lost('eve');
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
	});

	test('keeps expected times in whole milliseconds, whatever they were worked out from', async () => {
		const plan = await h.draft('pool.create', { ...pool, disk: 40.3 * GB });
		expect(Number.isInteger(plan.steps.reduce((n, s) => n + s.expected, 0))).toBe(false);
		const job = await h.commit(plan.id);
		const sum = one<{ n: number }>(h.db, 'SELECT sum(expected) AS n FROM job_steps WHERE job_id = ?', [job])!.n;
		expect(one(h.db, 'SELECT expected FROM jobs WHERE id = ?', [job])).toEqual({ expected: sum });
	});

	test('a plan is committed once only', async () => {
		const plan = await h.draft('policy.set', { pool: 'quay', headroomIn: 2 });
		await h.commit(plan.id);
		await expect(h.commit(plan.id)).rejects.toThrow(/committed already/);
	});

	test('at a time: the job waits, is carried out then, and not when it no longer holds', async () => {
		const at = h.lab.now + 30 * MINUTE;
		const job = await h.commit((await h.draft('policy.set', { pool: 'quay', headroomIn: 2 })).id, at);
		await h.live(10 * MINUTE);
		expect(one<{ state: string }>(h.db, 'SELECT state FROM jobs WHERE id = ?', [job])!.state).toBe('waiting');
		const ended = await h.finish(job);
		expect(ended.state).toBe('done');
		expect(ended.began!).toBeGreaterThanOrEqual(at);

		const late = await h.commit((await h.draft('grant.remove', { grant: 2 })).id, h.lab.now + 30 * MINUTE);
		run(h.db, 'UPDATE grants SET until = ? WHERE id = 2', [h.lab.now]);
		expect(await h.finish(late)).toMatchObject({ state: 'failed', error: expect.stringMatching(/no longer holds/) });
		await expect(
			h.commit((await h.draft('policy.set', { pool: 'quay', headroomIn: 3 })).id, h.lab.now - 1)
		).rejects.toThrow(/passed/);
	});

	test('a job that starts later is looked at by the rules of a commit: another plan in between refuses it, and is kept', async () => {
		const late = await h.commit(
			(await h.draft('policy.set', { pool: 'quay', headroomIn: 2 })).id,
			h.lab.now + 30 * MINUTE
		);
		await h.carryOut('policy.set', { pool: 'quay', patience: 45 * MINUTE });
		const ended = await h.finish(late);
		expect(ended.state).toBe('failed');
		expect(ended.error).toMatch(/has been changed since: Change the policy of Desks Quay/);
		expect(poolAt(h.db, 'quay', h.lab.now)!.policy).toMatchObject({ patience: 45 * MINUTE });
	});

	test('a job that starts later runs the steps of then, not those of the day when it was committed', async () => {
		const late = await h.commit(
			(await h.draft('policy.set', { pool: 'quay', headroomIn: 2 })).id,
			h.lab.now + 30 * MINUTE
		);
		// Not through a plan: as an estate moves by itself.
		run(h.db, `UPDATE pools SET policy = json_set(policy, '$.patience', ?) WHERE id = 'quay'`, [50 * MINUTE]);
		expect((await h.finish(late)).state).toBe('done');
		expect(poolAt(h.db, 'quay', h.lab.now)!.policy).toMatchObject({ patience: 50 * MINUTE, headroomIn: 2 });
	});

	test.each([
		['shut out', `UPDATE operators SET disabled = 1 WHERE id = 1`, /shut out since/],
		[
			'given another role',
			`UPDATE assignments SET role = 'auditor' WHERE operator_id = 1`,
			/may not commit it any more/
		]
	])('what somebody committed for later is not carried out once they have been %s', async (_how, sql, words) => {
		const late = await h.commit(
			(await h.draft('policy.set', { pool: 'quay', headroomIn: 2 })).id,
			h.lab.now + 30 * MINUTE
		);
		h.db.exec(sql);
		expect(await h.finish(late)).toMatchObject({ state: 'failed', error: expect.stringMatching(words) });
	});

	test('needs the role for it', async () => {
		const auditor: Caller = { ...OWNER, ...asRole('auditor') };
		const helpdesk: Caller = { ...OWNER, ...asRole('helpdesk') };
		await expect(h.draft('policy.set', { pool: 'quay', headroomIn: 2 }, auditor)).rejects.toThrow(NotAllowed);
		const draft = await h.draft('grant.add', { publication: 'desk', team: 'visitors' }, helpdesk);
		await expect(h.commit(draft.id, null, helpdesk)).rejects.toThrow(
			/As helpdesk you may not commit plans for grants, conditions and access rules. owner, operator may/
		);
	});
});

describe('jobs', () => {
	test('a build leaves a held version with its contents, its log, and runs for the next expectation', async () => {
		const job = await h.carryOut('image.build', { line: 'desk' });
		expect(job).toMatchObject({ state: 'done', result: { version: 'desk 1.2.0' } });
		expect(one(h.db, `SELECT number, size FROM versions WHERE number = '1.2.0'`)).toEqual({
			number: '1.2.0',
			size: 26.39 * GB
		});
		expect(one<{ n: number }>(h.db, `SELECT count(*) AS n FROM version_holds WHERE number = '1.2.0'`)!.n).toBe(1);
		expect(one<{ n: number }>(h.db, 'SELECT count(*) AS n FROM step_runs')!.n).toBe(18);
		expect(logOf(h.db, job.id).map((l) => l.line)).toContain('kept; staging removed, only this log is left');
	});

	test('a failing step names itself; the build is resumed from there and no step runs twice', async () => {
		const fault = h.lab.apply({ kind: 'fault', fault: 'build-step-fails', target: 'Paperlane', value: null }) as number;
		const failed = await h.carryOut('image.build', { line: 'desk' });
		expect(failed).toMatchObject({
			state: 'failed',
			error: expect.stringMatching(/Install Paperlane: the step ended with exit code 1603/)
		});
		expect(logOf(h.db, failed.id).at(-1)!.line).toMatch(/failed/);
		h.lab.apply({ kind: 'clear fault', id: fault });
		const resumed = await h.carryOut('image.resume', { build: 1 });
		expect(resumed.state).toBe('done');
		expect(stepsOf(h.db, resumed.id).map((s) => s.words)).not.toContain('System updates, all outstanding');
		expect(one<{ n: number }>(h.db, `SELECT count(*) AS n FROM step_runs WHERE kind = 'updates'`)!.n).toBe(3);
		expect(one(h.db, `SELECT state, done_steps FROM builds`)).toEqual({ state: 'done', done_steps: 6 });
	});

	test('machines that fail to be made are listed with the reason, and retried alone', async () => {
		h.lab.world.networks.get('quay-desks')!.last =
			h.lab.world.networks.get('quay-desks')!.first + h.lab.world.networks.get('quay-desks')!.leased.size + 1;
		const plan = await h.draft('pool.create', { ...pool, count: 2 });
		h.lab.world.networks.get('quay-desks')!.last--;
		const job = await h.finish(
			await (async () => {
				h.lab.world.networks.get('quay-desks')!.last++;
				const id = await h.commit(plan.id);
				h.lab.world.networks.get('quay-desks')!.last--;
				return id;
			})()
		);
		expect(job).toMatchObject({ state: 'done', result: { made: 1, failed: 1 } });
		expect(one(h.db, 'SELECT name, reason FROM unmade_machines')).toMatchObject({
			reason: 'network quay-desks has no free address'
		});
		h.lab.world.networks.get('quay-desks')!.last += 5;
		expect((await h.carryOut('pool.grow', { pool: 'new-desks', retry: true })).result).toMatchObject({
			made: 1,
			failed: 0
		});
		expect(all(h.db, 'SELECT * FROM unmade_machines')).toEqual([]);
		expect(one<{ n: number }>(h.db, `SELECT count(*) AS n FROM machines WHERE pool_id = 'new-desks'`)!.n).toBe(2);
	});

	test('a runbook stops at the first remedy that works', async () => {
		await h.live(10 * MINUTE);
		h.lab.apply({ kind: 'fault', fault: 'agent-stopped', target: 'quay-01', value: null });
		await h.live(12 * MINUTE);
		expect(all<{ name: string }>(h.db, `SELECT name FROM failing_checks WHERE until > ${h.lab.now}`)).toEqual([
			{ name: 'agent' }
		]);
		const job = await h.carryOut('runbook.run', { machine: 'quay-01', check: 'agent' });
		expect(job).toMatchObject({ state: 'done', result: { 'helped by': 'restart service' } });
		expect(stepsOf(h.db, job.id).map((s) => s.state)).toEqual(['done', 'skipped', 'skipped']);
		expect(all(h.db, `SELECT * FROM failing_checks WHERE until > ${h.lab.now}`)).toEqual([]);
	});

	test('a runbook goes on to the strongest remedy where the milder do not help', async () => {
		h.lab.apply({ kind: 'fault', fault: 'trust-lost', target: 'quay-01', value: null });
		await h.live(12 * MINUTE);
		const job = await h.carryOut('runbook.run', { machine: 'quay-01', check: 'trust' });
		expect(job.result).toEqual({ 'helped by': 'reset to image' });
	});

	test('can be cancelled where that is safe', async () => {
		const job = await h.commit((await h.draft('image.build', { line: 'desk' })).id);
		await h.live(90_000);
		cancelJob(h.ctx, OWNER, job);
		const ended = await h.finish(job);
		expect(ended.state).toBe('cancelled');
		expect(stepsOf(h.db, job).some((s) => s.state === 'queued')).toBe(true);
		expect(() => cancelJob(h.ctx, OWNER, job)).toThrow(/ended already/);
		expect((await h.draft('image.resume', { build: 1 })).blocks).toEqual([]);
	});

	test('tell their starter by bell and mail', async () => {
		await h.carryOut('policy.set', { pool: 'quay', headroomIn: 2 });
		expect(all(h.db, 'SELECT operator_id, title, good FROM notices')).toEqual([
			{ operator_id: 1, title: 'Change the policy of Desks Quay: done', good: 1 }
		]);
		expect(h.lab.world.outbox).toMatchObject([{ to: 'owner', subject: expect.stringMatching(/^Job \d+: done$/) }]);
	});
});

describe('the change log', () => {
	test('refuses to be altered, and shows when it was all the same', async () => {
		for (let i = 0; i < 3; i++) await h.carryOut('policy.set', { pool: 'quay', headroomIn: 4 + i });
		expect(firstBrokenChange(h.db)).toBeNull();
		expect(() => run(h.db, `UPDATE changes SET by = 'nobody' WHERE number = 2`)).toThrow(/append-only/);
		expect(() => run(h.db, 'DELETE FROM changes WHERE number = 3')).toThrow(/append-only/);
		h.db.exec('DROP TRIGGER changes_stay; DROP TRIGGER changes_remain');
		run(h.db, `UPDATE changes SET by = 'nobody' WHERE number = 2`);
		expect(firstBrokenChange(h.db)).toBe(2);
		expect(verifyData(h.db)).toContain('change log: broken at change 2');
		run(h.db, `UPDATE changes SET by = 'Runa Solheim' WHERE number = 2`);
		run(h.db, 'DELETE FROM changes WHERE number = 1');
		expect(firstBrokenChange(h.db)).toBe(1);
	});

	test('a line put in with a chain of its own is found out', () => {
		addChange(h.db, {
			at: 1,
			by: 'a',
			via: 'test',
			kind: 'k',
			title: 't',
			objects: [],
			planId: null,
			jobId: null,
			outcome: 'done',
			undo: null
		});
		h.db.exec(
			`INSERT INTO changes SELECT 2, at, by, via, kind, title, objects, NULL, NULL, outcome, undo, hash, 'f00' FROM changes WHERE number = 1`
		);
		expect(firstBrokenChange(h.db)).toBe(2);
	});
});

describe('verify', () => {
	test('finds intervals that overlap or belong to nothing', async () => {
		const fresh = await Harness.of(testEstate());
		expect(verifyData(fresh.db)).toEqual([]);
		fresh.db.pragma('foreign_keys = OFF');
		run(
			fresh.db,
			`INSERT INTO machine_states VALUES (1, 1, ${fresh.lab.now + HOUR}, 'ready', 'by hand'), (999, 1, 2, 'off', 'orphan')`
		);
		const found = verifyData(fresh.db).join('\n');
		expect(found).toMatch(/machine_states: 1 intervals overlap/);
		expect(found).toMatch(/machine_states: 1 intervals belong to nothing/);
	});
});
