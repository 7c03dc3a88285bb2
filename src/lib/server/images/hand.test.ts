import { beforeEach, describe, expect, test } from 'vitest';
import { parseScope } from '$lib/core/scope/scope';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one } from '../db';
import { calendarFeed, runsOf, schedulesAt } from '../schedules';
import { Harness, testEstate } from '../testing/harness';
import { needsAt } from '../house/needs';
import { lineAt, openingOf, trialOf } from './queries';
import { typeAtConsole } from './console';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', (e) => (e.lab.failure = 0)));
	await h.live(5 * MINUTE);
});
const version = (number: string) => lineAt(h.db, 'desk', h.lab.now)!.versions.find((v) => v.number === number);
const needs = () => needsAt(h.db, parseScope('').scope, h.lab.now).needs;
const type = (text: string) => typeAtConsole(h.ctx, 'desk', text, 'Runa Solheim');

describe('work by hand', () => {
	test('opens a version for one editor, closes as a new held version with what was done', async () => {
		expect((await h.carryOut('image.open', { line: 'desk', number: '1.0.0' })).state).toBe('done');
		expect(openingOf(h.db, 'desk', h.lab.now)).toMatchObject({
			number: '1.0.0',
			by: 'Runa Solheim',
			machine: 'ref-desk'
		});
		expect(version('1.0.0')).toMatchObject({ open: true });
		expect((await h.draft('image.open', { line: 'desk', number: '1.1.0' })).blocks[0]!.words).toMatch(
			/Runa Solheim has desk 1\.0\.0 open .*one editor at a time/
		);

		expect(await type('install Crewbook')).toEqual(['fetched Crewbook 5.3, SHA-256 agrees', 'Crewbook 5.3 installed']);
		expect(await type('set Machine\\Drives\\T off')).toEqual(['Machine\\Drives\\T = off']);
		const closing = await h.draft('image.close', { line: 'desk', note: 'Crewbook for the harbour' });
		expect(closing.title).toBe('Close desk 1.0.0 as 1.0.1');
		expect(closing.reasons[0]!.words).toBe('Runa Solheim typed “install Crewbook”');
		expect((await h.finish(await h.commit(closing.id))).state).toBe('done');
		expect(version('1.0.0')).toMatchObject({ open: false });
		expect(version('1.0.1')).toMatchObject({ held: true, basedOn: '1.0.0', note: 'Crewbook for the harbour' });
		expect(version('1.0.1')!.contents.map((c) => c.name)).toEqual(['Meridian Server', 'Crewbook', 'settings by hand']);
	});

	test('thrown away leaves nothing', async () => {
		await h.carryOut('image.open', { line: 'desk', number: '1.0.0' });
		await type('remove Meridian Server');
		await h.carryOut('image.throw-away', { line: 'desk' });
		expect(openingOf(h.db, 'desk', h.lab.now)).toBeNull();
		expect(version('1.0.0')!.contents).toHaveLength(1);
		await expect(type('programs')).rejects.toThrow(/no version of desk is open/);
	});

	test('while it is open no machine takes it, and a forgotten one shows up on Today', async () => {
		await h.carryOut('image.open', { line: 'desk', number: '1.1.0' });
		const follow = await h.draft('image.follow', { pool: 'quay', rule: 'exactly 1.1.0' });
		expect(follow.effects.machines).toEqual([]);
		expect((await h.draft('image.hold', { line: 'desk', number: '1.1.0', held: false })).effects.machines).toEqual([]);
		await h.live(11 * HOUR, 5 * MINUTE);
		expect(needs().find((n) => n.unit === 'open version')!.title).toMatch(/desk 1\.1\.0 has been open for 1\d h/);
	});

	test('updates wait for a restart before it can be closed; a command that there is not says so', async () => {
		await h.live(20 * DAY, DAY);
		await h.carryOut('image.open', { line: 'desk', number: '1.0.0' });
		expect(await type('update')).toContain('restart to finish');
		expect((await h.carryOut('image.close', { line: 'desk', note: 'updates' })).error).toMatch(
			/type restart at the console first/
		);
		expect(await type('dance')).toEqual(['there is no dance; help lists what there is']);
		await type('restart');
		expect((await h.carryOut('image.close', { line: 'desk', note: 'updates' })).state).toBe('done');
	});
});

describe('rebuilding with updates', () => {
	test('only the system is newer; it is held, tried, and asks for release', async () => {
		await h.live(20 * DAY, DAY);
		const plan = await h.draft('image.rebuild', { line: 'desk', from: '1.1.0' });
		expect(plan.title).toBe('Rebuild desk 1.1.0 with updates as 1.1.1');
		// The sheet pins Paperlane to 13.0, which the store no longer has: it cannot be made again.
		expect(plan.blocks.map((b) => b.words).join()).toMatch(/package store has no Paperlane 13\.0; it has 13\.1/);

		const job = await h.carryOut('image.rebuild', { line: 'desk' });
		expect(job).toMatchObject({ state: 'done', result: { version: 'desk 1.0.1', trial: 'failed' } });
		expect(version('1.0.1')).toMatchObject({ held: true, basedOn: '1.0.0' });
		expect(version('1.0.1')!.contents.find((c) => c.name === 'Meridian Server')!.version).toBe('24.11');
		expect(trialOf(h.db, 'desk', '1.0.1', h.lab.now)).toMatchObject({ passed: false });
		expect(needs().map((n) => n.title)).toContain('desk 1.0.1 has failed its trial');
	});

	test('one that passes asks for release', async () => {
		const sheet = (await import('./queries')).sheetAt(h.db, 'desk', h.lab.now)!;
		await h.carryOut('image.sheet', {
			line: 'desk',
			...sheet,
			steps: [...sheet.steps.slice(0, 2), { kind: 'profile client', with: {} }, ...sheet.steps.slice(2)]
		});
		await h.carryOut('image.build', { line: 'desk' });
		await h.carryOut('image.hold', { line: 'desk', number: '1.2.0', held: false });
		await h.carryOut('image.rebuild', { line: 'desk' });
		expect(trialOf(h.db, 'desk', '1.2.1', h.lab.now)).toMatchObject({ passed: true });
		const need = needs().find((n) => n.unit === 'asks for release')!;
		expect(need.plan).toEqual({
			kind: 'image.hold',
			input: { line: 'desk', number: '1.2.1', held: false },
			words: 'Plan the release'
		});
		await h.carryOut('image.hold', { line: 'desk', number: '1.2.1', held: false });
		expect(needs().some((n) => n.unit === 'asks for release')).toBe(false);
	});
});

describe('a schedule', () => {
	const nightly = {
		title: 'Patch night',
		kind: 'image.rebuild',
		input: { line: 'desk' },
		rule: 'FREQ=DAILY',
		begins: '2026-11-10T22:00',
		zone: 'Europe/Oslo'
	};

	test('carries its plan out when it is due, once, in the name of whoever set it', async () => {
		const plan = await h.draft('schedule.add', nightly);
		expect(plan.title).toBe('Patch night: every day at 22:00, Europe/Oslo');
		expect(plan.reasons[0]!.words).toMatch(/^due first \w+ \d+ \w+ 22:00$/);
		await h.finish(await h.commit(plan.id));
		const [schedule] = schedulesAt(h.db, h.lab.now);
		await h.live(30 * HOUR, 2 * MINUTE);
		const runs = runsOf(h.db, schedule!.id);
		expect(runs.length).toBeGreaterThanOrEqual(1);
		expect(runs.at(-1)).toMatchObject({ refused: null });
		expect(one(h.db, 'SELECT by FROM jobs WHERE id = ?', [runs.at(-1)!.jobId])).toEqual({
			by: 'Patch night, set by Runa Solheim'
		});
		expect(version('1.0.1')).toBeDefined();
	});

	test('that is blocked when it is due is not done, and Today says so; taken off it is never due again', async () => {
		await h.carryOut('schedule.add', nightly);
		h.lab.apply({ kind: 'fault', fault: 'right-taken', target: 'updates', value: null });
		await h.live(26 * HOUR, 2 * MINUTE);
		expect(needs().find((n) => n.unit === 'not done')!.facts[0]!.words).toMatch(/may not reach the update service/);
		await expect(h.draft('schedule.add', nightly)).rejects.toThrow(/There is a schedule called .* already/);
		// Undone from the change log, by its name.
		await h.carryOut('schedule.remove', { schedule: nightly.title });
		expect(schedulesAt(h.db, h.lab.now)).toEqual([]);
	});

	test('is in the calendar feed with its rule and zone', async () => {
		await h.carryOut('schedule.add', { ...nightly, rule: 'FREQ=MONTHLY;BYDAY=2TU' });
		const feed = calendarFeed(h.db, h.lab.now, 'Test');
		expect(feed).toMatch(/BEGIN:VCALENDAR\r\n/);
		expect(feed).toContain('RRULE:FREQ=MONTHLY;BYDAY=2TU');
		expect(feed).toContain('DTSTART;TZID=Europe/Oslo:20261110T220000');
		expect(feed).toContain('SUMMARY:Patch night');
	});

	test.each([
		[{ rule: 'FREQ=HOURLY' }, 'rule'],
		[{ begins: '2026-02-30T10:00' }, 'begins'],
		[{ zone: 'Moon/Tycho' }, 'zone'],
		[{ kind: 'pool.remove' }, 'kind'],
		[{ title: ' ' }, 'title'],
		[{ input: { line: 'none' } }, 'line']
	])('%j is refused beside %s', async (change, field) => {
		await expect(h.draft('schedule.add', { ...nightly, ...change })).rejects.toMatchObject({
			problems: [expect.objectContaining({ field })]
		});
	});
	test('at an hour that a clock change skips says when it is done instead', async () => {
		const plan = await h.draft('schedule.add', { ...nightly, begins: '2026-11-10T02:30' });
		expect(plan.warnings[0]!.words).toBe('on 2027-03-28 the clock skips 02:30: it is done at 03:30');
	});
});

describe('retiring and deleting', () => {
	test('a version that somebody needs cannot be deleted: the plan says who', async () => {
		const plan = await h.draft('image.delete', { line: 'desk', number: '1.0.0' });
		expect(plan.blocks.map((b) => b.words)).toEqual(
			expect.arrayContaining([expect.stringMatching(/^11 machines are on it/), 'pool quay follows exactly it'])
		);
		expect((await h.carryOut('image.delete', { line: 'desk', number: '1.1.0' })).state).toBe('done');
		expect(version('1.1.0')).toBeUndefined();
		expect(all(h.db, `SELECT 1 FROM site_versions WHERE number = '1.1.0' AND until = 9007199254740991`)).toEqual([]);
		await expect(h.draft('pool.create', { version: '1.1.0' })).rejects.toThrow();
	});
	test('a retired one is nobody’s newest, and comes back', async () => {
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		await h.carryOut('image.retire', { line: 'desk', number: '1.1.0' });
		expect((await h.draft('image.follow', { pool: 'quay', rule: 'newest' })).effects.machines).toEqual([]);
		await h.carryOut('image.retire', { line: 'desk', number: '1.1.0', retired: false });
		expect((await h.draft('image.follow', { pool: 'quay', rule: 'newest' })).effects.machines).toHaveLength(6);
	});
});

describe('what the builder may do', () => {
	test('a right that is missing blocks the build, and says which step needs it', async () => {
		h.lab.apply({ kind: 'fault', fault: 'right-taken', target: 'packages', value: null });
		const plan = await h.draft('image.build', { line: 'desk' });
		expect(plan.blocks.map((b) => b.words)).toEqual([
			'the builder’s account may not read from the package store, which “Install Paperlane” and “Install Crewbook” and “Desktop agent newest” need'
		]);
	});
	test('a failed build goes on with a changed sheet, as long as what is done is the same', async () => {
		const sheet = (await import('./queries')).sheetAt(h.db, 'desk', h.lab.now)!;
		const script = { kind: 'script', with: { name: 'check', text: 'exit 7' } };
		await h.carryOut('image.sheet', {
			line: 'desk',
			...sheet,
			steps: [...sheet.steps.slice(0, 3), script, ...sheet.steps.slice(3)]
		});
		const failed = await h.carryOut('image.build', { line: 'desk' });
		expect(failed.error).toMatch(/“Script check” ended with exit code 7; good are 0/);
		await h.carryOut('image.sheet', {
			line: 'desk',
			...sheet,
			steps: [
				...sheet.steps.slice(0, 3),
				{ kind: 'script', with: { ...script.with, codes: [0, 7] } },
				...sheet.steps.slice(3)
			]
		});
		const plan = await h.draft('image.resume', { build: 1, sheet: 'as it is now' });
		expect(plan.title).toBe('Resume the build of desk 1.2.0 at “Script check”, with the changed sheet');
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');

		await h.carryOut('image.sheet', {
			line: 'desk',
			...sheet,
			steps: [...sheet.steps.slice(0, 2), script, ...sheet.steps.slice(2)]
		});
		await h.carryOut('image.build', { line: 'desk' });
		await h.carryOut('image.sheet', { line: 'desk', ...sheet, steps: [sheet.steps[0]!, ...sheet.steps.slice(2)] });
		expect((await h.draft('image.resume', { build: 2, sheet: 'as it is now' })).blocks[0]!.words).toMatch(
			/step 2 is done and has been changed since/
		);
		expect((await h.carryOut('image.abandon', { build: 2 })).state).toBe('done');
		expect((await h.draft('image.resume', { build: 2 })).blocks[0]!.words).toMatch(/is abandoned/);
	});
});
