import { beforeEach, describe, expect, test } from 'vitest';
import { expectDuration } from '$lib/core/images/duration';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { parseScope } from '$lib/core/scope/scope';
import { one, run } from '../db';
import { jobById, logOf } from '../jobs';
import { makeStep } from '$lib/core/images/sheet';
import { Harness, NEW_POOL, testEstate } from '../testing/harness';
import { needsAt } from '../house/needs';
import { nextNumber } from './build-plans';
import { buildsAt, openBuilds, stepHistories } from './builds';
import { usedLinesAt, sheetAt } from './queries';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(testEstate());
	await h.live(5 * MINUTE);
});
const sheet = () => sheetAt(h.db, 'desk', h.lab.now)!;
const write = (change: object) => h.carryOut('image.sheet', { line: 'desk', ...sheet(), ...change });

describe('lines and versions', () => {
	test('count their machines and people, and know what is held', () => {
		const [line] = usedLinesAt(h.db, h.lab.now);
		expect(line).toMatchObject({ id: 'desk', users: 'multi', machines: 11 });
		expect(line!.versions.map((v) => [v.number, v.held, v.machines])).toEqual([
			['1.0.0', false, 11],
			['1.1.0', true, 0]
		]);
	});
	test('count a person with two sessions on a version once', () => {
		run(
			h.db,
			`INSERT INTO sessions SELECT 90000 + n, pe.id, m.id, 'desk', 'quay-gw', 'stream', ?, ${FOREVER}, 9000, NULL, 0
			 FROM (SELECT 1 AS n UNION SELECT 2), people pe, machines m WHERE pe.login = 'eve' AND m.name = 'own-0' || n`,
			[h.lab.now]
		);
		const people = () => usedLinesAt(h.db, h.lab.now, parseScope('pool:own').scope)[0]!.versions[0]!;
		expect(people()).toMatchObject({ people: 1, machines: 2 });
	});
	test('within a scope count what is in it', () => {
		const under = (scope: string) => usedLinesAt(h.db, h.lab.now, parseScope(scope).scope)[0]!.machines;
		expect(under('site:isle')).toBe(3);
		expect(under('pool:own,isle')).toBe(5);
		expect(under('-pool:quay')).toBe(5);
		expect(under('machine:quay-01')).toBe(1);
		expect(under('version:1.1.0')).toBe(0);
	});
	test('as of a moment before a build do not know its version', async () => {
		const before = h.lab.now;
		await h.carryOut('image.build', { line: 'desk' });
		const numbers = (at: number) => usedLinesAt(h.db, at)[0]!.versions.map((v) => v.number);
		expect(numbers(h.lab.now)).toEqual(['1.0.0', '1.1.0', '1.2.0']);
		expect(numbers(before)).toEqual(['1.0.0', '1.1.0']);
	});
});

describe('the next number', () => {
	test('is never one that is there, nor one that is being built', async () => {
		expect(nextNumber(h.ctx, 'desk')).toBe('1.2.0');
		await h.commit((await h.draft('image.build', { line: 'desk' })).id);
		await h.live(20_000);
		expect(openBuilds(h.db, 'desk').map((b) => b.number)).toEqual(['1.2.0']);
		expect(nextNumber(h.ctx, 'desk')).toBe('1.3.0');
	});
	test.each([
		['1.0.0', /there is a version 1\.0\.0 already/],
		['1.1.0', /there is a version 1\.1\.0 already/]
	])('%s is taken: the plan is blocked', async (number, words) => {
		const plan = await h.draft('image.build', { line: 'desk', number });
		expect(plan.blocks.map((b) => b.words).join()).toMatch(words);
	});
	test('an older one than the newest is warned of; one that is none is refused beside its field', async () => {
		const plan = await h.draft('image.build', { line: 'desk', number: '1.0.5' });
		expect(plan.blocks).toEqual([]);
		expect(plan.warnings.map((w) => w.words)).toContain('1.0.5 is older than 1.1.0, the newest of the line');
		await expect(h.draft('image.build', { line: 'desk', number: 'next' })).rejects.toMatchObject({
			problems: [{ field: 'number' }]
		});
		await expect(h.draft('image.build', { line: 'none' })).rejects.toMatchObject({ problems: [{ field: 'line' }] });
	});
});

describe('what a build is expected to take', () => {
	test('comes from past runs of the same steps, scaled to the builder', () => {
		const four = stepHistories(h.db, 'desk', sheet());
		expect(four[1]!.runs.map((r) => r / MINUTE).sort()).toEqual([2, 2.4]);
		const eight = stepHistories(h.db, 'desk', { ...sheet(), builder: { ...sheet().builder, cores: 8 } });
		// Half of the work spreads over the cores; the disk is a little smaller than the usual one.
		expect(eight[1]!.runs[0]! / four[1]!.runs[0]!).toBeCloseTo(0.755, 3);
		expect(expectDuration(eight).middle).toBeLessThan(expectDuration(four).middle);
	});
	test('of a step never run before falls back to its kind, and says so', () => {
		const steps = [
			...sheet().steps.slice(0, 3),
			makeStep('package', { package: 'Something new' }),
			makeStep('compact')
		];
		const [, , , unknown, never] = stepHistories(h.db, 'desk', { ...sheet(), steps });
		// All packages so far: 1.5, 1.4 and twice 1.
		expect(unknown!.from).toBe('its kind');
		expect(unknown!.runs.map((r) => r / MINUTE).sort()).toEqual([1, 1, 1.4, 1.5]);
		expect(never).toMatchObject({ from: 'assumption', runs: [] });
	});
	test('of a build that was made counts for the next one', async () => {
		await h.carryOut('image.build', { line: 'desk' });
		expect(stepHistories(h.db, 'desk', sheet()).map((s) => s.runs.length)).toEqual([3, 3, 3, 3, 3, 3]);
	});
});

describe('a build', () => {
	test('stops at its limit, names the step, and can be taken up again with a longer one', async () => {
		await write({ limit: 3 * MINUTE });
		const plan = await h.draft('image.build', { line: 'desk' });
		expect(plan.warnings.map((w) => w.words).join()).toMatch(/chance to run past its limit is 100 %/);
		const job = await h.finish(await h.commit(plan.id));
		expect(job).toMatchObject({ state: 'failed', error: expect.stringMatching(/its limit of 3 min/) as string });
		const need = needsAt(h.db, parseScope('').scope, h.lab.now).needs.find((n) => n.unit === 'failed job')!;
		expect(need.plan).toMatchObject({ kind: 'image.resume' });
		expect(need.about.line).toEqual(['desk']);
		expect(buildsAt(h.db, h.lab.now)[0]).toMatchObject({ state: 'failed', number: '1.2.0' });
	});

	test('of a line waits for the one before it', async () => {
		const first = await h.commit((await h.draft('image.build', { line: 'desk' })).id);
		await h.live(20_000);
		const second = await h.draft('image.build', { line: 'desk' });
		expect(second.reasons.map((b) => b.words).join()).toMatch(/it waits for 1\.2\.0 of this line, which job 1 builds/);
		const then = await h.commit(second.id);
		await h.live(MINUTE);
		expect(openBuilds(h.db, 'desk').map((b) => [b.number, b.state])).toEqual([
			['1.2.0', 'running'],
			['1.3.0', 'queued']
		]);
		expect(await h.finish(then)).toMatchObject({ state: 'done' });
		expect((await h.finish(first)).ended).toBeLessThan((await h.finish(then)).ended!);
		expect(logOf(h.db, then)[0]!.line).toBe('waits for 1.2.0, which job 1 builds');
	});

	test('goes by the sheet as it was when it began', async () => {
		const job = await h.commit((await h.draft('image.build', { line: 'desk' })).id);
		await h.live(20_000);
		const began = jobById(h.db, job, h.lab.now)!;
		expect(began.state).toBe('running');
		const later = { ...sheet(), steps: sheet().steps.filter((s) => s.with.package !== 'Crewbook') };
		run(h.db, `UPDATE sheets SET body = ? WHERE line_id = 'desk'`, [JSON.stringify(later)]);
		await h.finish(job);
		expect(
			logOf(h.db, job)
				.map((l) => l.line)
				.join()
		).not.toMatch(/failed/);
		expect(one(h.db, `SELECT done_steps FROM builds`)).toEqual({ done_steps: 6 });
	});

	test('cannot be resumed while it runs, nor when it is done', async () => {
		const job = await h.commit((await h.draft('image.build', { line: 'desk' })).id);
		await h.live(20_000);
		expect((await h.draft('image.resume', { build: 1 })).blocks[0]!.words).toMatch(
			/is running: there is nothing to resume/
		);
		await h.finish(job);
		expect((await h.draft('image.resume', { build: 1 })).blocks[0]!.words).toMatch(/is done/);
		await expect(h.draft('image.resume', { build: 99 })).rejects.toMatchObject({ problems: [{ field: 'build' }] });
	});
});

describe('a sheet', () => {
	test('out of order may be kept, with the reason, but not built', async () => {
		const [source, ...rest] = sheet().steps;
		const job = await write({ steps: [rest[0]!, source!, ...rest.slice(1)] });
		expect(job.state).toBe('done');
		const plan = await h.draft('image.build', { line: 'desk' });
		expect(plan.blocks.map((b) => b.words).join()).toMatch(/must be first: everything else is installed on it/);
	});
	test('that is the same is no change', async () => {
		const plan = await h.draft('image.sheet', { line: 'desk', ...sheet() });
		expect(plan.blocks.map((b) => b.words)).toEqual(['nothing in it is different']);
	});
	test('says how much longer or shorter a build will be', async () => {
		const plan = await h.draft('image.sheet', { line: 'desk', ...sheet(), builder: { ...sheet().builder, cores: 16 } });
		expect(plan.reasons[0]!.words).toMatch(/expected to take .* before /);
	});
	test.each([
		[{ limit: 1000 }, 'limit', /at least a minute/],
		[{ builder: { cores: 0, memory: 1, disk: 1 } }, 'builder.cores', /At least 1\./],
		[{ steps: [] }, 'steps', /at least one step/],
		[{ steps: [{ kind: 'magic' }] }, 'steps.0.kind', /Choose a kind/],
		[{ steps: [{ kind: 'package' }] }, 'steps.0.package', /“package” is missing/],
		[{ steps: [{ kind: 'limits', with: { idle: 'soon' } }] }, 'steps.0.idle', /a duration such as/]
	])('%j is refused beside %s', async (change, field, words) => {
		const error = await write(change).catch((e: unknown) => e as { problems: { field: string; words: string }[] });
		const problem = (error as { problems: { field: string; words: string }[] }).problems.find((p) => p.field === field);
		expect(problem?.words).toMatch(words);
	});
});

describe('holding', () => {
	test('a held version makes no pool without a warning; released it does', async () => {
		const pool = { ...NEW_POOL, version: '1.1.0', count: 1 };
		expect((await h.draft('pool.create', pool)).warnings.map((w) => w.words)).toContain('desk 1.1.0 is held back');
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		expect((await h.draft('pool.create', pool)).warnings).toEqual([]);
		expect((await h.draft('image.hold', { line: 'desk', number: '1.1.0', held: false })).blocks[0]!.words).toBe(
			'it is not held'
		);
		await expect(h.draft('image.hold', { line: 'desk', number: '9.9.9', held: true })).rejects.toThrow(
			/no desk 9\.9\.9/
		);
	});
	test('is on record for the moments when it held', async () => {
		const before = h.lab.now;
		await h.live(HOUR / 60);
		await h.carryOut('image.hold', { line: 'desk', number: '1.0.0', held: true });
		const held = (at: number) => usedLinesAt(h.db, at)[0]!.versions[0]!.held;
		expect([held(before), held(h.lab.now)]).toEqual([false, true]);
	});
});
