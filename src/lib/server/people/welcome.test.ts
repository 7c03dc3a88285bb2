import { beforeEach, describe, expect, test } from 'vitest';
import { DAY, FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { wallTime } from '$lib/core/time/zone';
import { changesBefore } from '../changes';
import { all, one, putSetting } from '../db';
import { recordOf } from '../directory';
import { invitationCalled, lastInvitation, useInvitation } from '../identity/invitations';
import { SERVED_AT } from '../identity/portal';
import { grantsAt } from '../publications';
import { draftUndo } from '../plans';
import { Harness, OWNER, QUIET, testEstate } from '../testing/harness';
import { fitFor } from './fitting';
import { desks } from './kept';
import { EVERYTHING } from '$lib/core/scope/scope';

let h: Harness;
const dayOf = (n: number) => new Date((wallTime('Europe/Oslo', h.lab.now).day + n) * DAY).toISOString().slice(0, 10);
const newcomer = (login: string, more: object = {}) => ({
	login,
	name: `${login} new`,
	site: 'quay',
	team: 'harbour',
	mail: `${login}@testbay.example`,
	...more
});
const put = (...people: object[]) => h.carryOut('people.put', { people });
beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	putSetting(h.db, SERVED_AT, 'http://localhost:4870');
	await put(newcomer('fay', { begins: dayOf(4) }), newcomer('gus', { begins: dayOf(4), employment: 'contractor' }));
});
const keeper = (machine: string) =>
	one<{ login: string | null }>(
		h.db,
		`SELECT p.login FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} LEFT JOIN people p ON p.id = pl.owner_id WHERE m.name = ? AND m.until = ${FOREVER}`,
		[machine]
	)?.login;
const mails = async () => (await h.ctx.providers.mail.sent()).filter((m) => m.body.includes('/my/welcome/'));
const tokenIn = (body: string) => /\/my\/welcome\/([\w-]+)/.exec(body)![1]!;
const numberOf = (login: string) => recordOf(h.db, login, h.lab.now)!.id;

describe('a welcome', () => {
	test('gives each a machine ahead of the first day, those that nobody keeps first, and mails a link', async () => {
		const plan = await h.draft('people.welcome', { people: ['fay', 'gus', 'fay'], pool: 'own', publications: ['own'] });
		expect(plan.title).toBe('Welcome 2 people');
		expect(plan.effects.people.map((p) => p.how)).toEqual([
			'has Own machine; keeps own-01; is invited',
			'has Own machine; keeps own-02; is invited'
		]);
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect([keeper('own-01'), keeper('own-02')]).toEqual(['fay', 'gus']);
		const sent = await mails();
		expect(sent.map((m) => m.to).sort()).toEqual(['fay@testbay.example', 'gus@testbay.example']);
		expect(sent[0]!.body).toContain('http://localhost:4870/my/welcome/');
		expect(sent[0]!.body).toMatch(/Your first day is /);
		// The link is nowhere to be read any more, and no job or plan holds it.
		const token = tokenIn(sent[0]!.body);
		expect(all(h.db, 'SELECT * FROM invitations WHERE sealed IS NOT NULL')).toEqual([]);
		for (const table of ['plans', 'jobs', 'job_steps', 'job_log', 'changes', 'invitations'])
			expect(JSON.stringify(all(h.db, `SELECT * FROM ${table}`))).not.toContain(token);
		const invitation = invitationCalled(h.db, token)!;
		expect(invitation.endsAt).toBeGreaterThan(h.lab.now + 10 * DAY);
		expect(useInvitation(h.db, invitation.id, h.lab.now)).toBe(true);
		expect(useInvitation(h.db, invitation.id, h.lab.now)).toBe(false);
	});

	test('makes what is missing, takes as long as making has taken, and is taken back whole', async () => {
		await h.carryOut('machine.give', { machine: 'own-01', person: 'anna' });
		const plan = await h.draft('people.welcome', {
			people: ['fay', 'gus'],
			pool: 'own',
			teams: ['visitors'],
			publications: ['own']
		});
		expect(plan.blocks).toEqual([]);
		expect(plan.effects.machines.map((m) => m.how)).toEqual(['given to fay new', 'made for gus new']);
		await h.finish(await h.commit(plan.id));
		const made = plan.effects.machines[1]!.id;
		expect([keeper('own-02'), keeper(made)]).toEqual(['fay', 'gus']);
		expect(recordOf(h.db, 'fay', h.lab.now)!.memberOf).toEqual(['harbour', 'visitors']);
		const again = await h.draft('people.welcome', { people: ['eve'], pool: 'own' });
		const runs = one<{ ms: number }>(
			h.db,
			`SELECT ended - began AS ms FROM job_steps WHERE kind = 'machines.make' AND state = 'done'`
		)!.ms;
		expect(Math.abs(again.effects.duration.middle - runs)).toBeLessThan(runs / 2);

		const undo = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
		await h.finish(await h.commit(undo.id));
		expect([keeper('own-02'), keeper(made)]).toEqual([null, undefined]);
		expect(recordOf(h.db, 'fay', h.lab.now)!.memberOf).toEqual(['harbour']);
		expect(grantsAt(h.db, h.lab.now).filter((g) => g.toLogin === 'fay')).toEqual([]);
		expect(lastInvitation(h.db, numberOf('fay'), h.lab.now)!.endsAt).toBeLessThanOrEqual(h.lab.now);
	});

	test('says beside what is wrong, and is blocked by what cannot be', async () => {
		const wrong = (input: object) =>
			h.draft('people.welcome', input).then(
				() => [],
				(e: { problems: { field: string }[] }) => e.problems.map((p) => p.field)
			);
		expect(await wrong({ people: [] })).toEqual(['people']);
		expect(await wrong({ people: ['fay', 'nobody'] })).toEqual(['people.1']);
		expect(await wrong({ people: ['fay'], pool: 'quay' })).toEqual(['pool']);
		expect(await wrong({ people: ['fay'], pool: 'none', teams: ['none'], publications: ['none'] })).toEqual([
			'teams.0',
			'publications.0',
			'pool'
		]);
		const blocks = async (input: object) => (await h.draft('people.welcome', input)).blocks.map((f) => f.words);
		expect(await blocks({ people: ['anna'], teams: ['visitors'], invite: false })).toEqual([
			'Anna Quill is kept by the directory: their teams are set there'
		]);
		expect(await blocks({ people: ['anna'], invite: false })).toEqual([
			'there is nothing to do: they have it all already'
		]);
		putSetting(h.db, SERVED_AT, '');
		expect(await blocks({ people: ['fay'] })).toEqual([
			'it is not known under which address people reach the portal: set it under Settings'
		]);
		await h.carryOut('portal.address', { address: 'https://desk.testbay.example/' });
		expect(await blocks({ people: ['fay'] })).toEqual([]);
		expect(
			await h
				.draft('portal.address', { address: 'desk.testbay.example' })
				.catch((e: { problems: { field: string }[] }) => e.problems[0]!.field)
		).toBe('address');
		await put({ login: 'hal', name: 'Hal Spar', site: 'quay' });
		const noMail = await h.draft('people.welcome', { people: ['hal', 'fay'] });
		expect(noMail.warnings.map((f) => f.words)).toContain(
			'no mail address of Hal Spar is known: nobody can be invited there'
		);
	});

	test('a second link ends the first, and none outlives its person', async () => {
		await h.carryOut('people.welcome', { people: ['fay'] });
		await h.carryOut('people.welcome', { people: ['fay'] });
		const [first, second] = (await mails()).map((m) => invitationCalled(h.db, tokenIn(m.body))!);
		expect(first!.endsAt).toBeLessThanOrEqual(h.lab.now);
		expect(second!.endsAt).toBeGreaterThan(h.lab.now);
		expect(invitationCalled(h.db, 'x'.repeat(5000))).toBeNull();
	});
});

describe('a pool that is kept for a team', () => {
	const stands = (login: string) =>
		desks
			.page(h.db, { at: h.lab.now, scope: EVERYTHING, sort: '', descending: false, limit: 100, offset: 0 })
			.rows.find((r) => r.person === login);
	test('has a machine for each who holds what it asks for: made ahead of their day, taken back when they go', async () => {
		const plan = await h.draft('pool.keep-for', { pool: 'own', team: 'harbour', employment: 'employee', aheadDays: 1 });
		expect(plan.effects.people.map((p) => p.id).sort()).toEqual(['anna', 'bo', 'cleo', 'dag']);
		expect(plan.effects.cost!.after).toBeGreaterThan(plan.effects.cost!.before);
		await h.finish(await h.commit(plan.id));
		await h.live(30 * MINUTE);
		for (const login of ['anna', 'bo', 'cleo', 'dag']) expect(stands(login)).toMatchObject({ state: 'ready' });
		expect(new Set(['anna', 'bo', 'cleo', 'dag'].map((l) => stands(l)!.machine)).size).toBe(4);
		expect(stands('fay')).toMatchObject({ state: 'not wanted', words: expect.stringMatching(/^they begin /) });
		expect(stands('gus')).toMatchObject({ state: 'not wanted', words: 'contractor: it is for employee' });
		expect(stands('eve')).toBeUndefined();

		await h.live(3 * DAY + 6 * HOUR, 10 * MINUTE);
		expect(stands('fay')).toMatchObject({ state: 'ready' });
		const machine = stands('fay')!.machine!;
		await put({ login: 'fay', team: 'visitors' });
		await h.live(30 * MINUTE);
		expect(keeper(machine)).toBeNull();
		expect(stands('fay')).toBeUndefined();

		await h.carryOut('pool.keep-no-more', { pool: 'own' });
		await h.live(5 * MINUTE);
		expect(keeper(stands('anna')?.machine ?? machine)).toBeNull();
		expect(all(h.db, `SELECT 1 FROM machine_spots WHERE owner_id IS NOT NULL AND until = ${FOREVER}`)).toHaveLength(4);
	});

	test('says who waits and why where no machine can be made, and tries again', async () => {
		h.lab.world.hosts.get('quay-h1')!.up = false;
		h.lab.world.hosts.get('quay-h2')!.up = false;
		await h.carryOut('pool.keep-for', { pool: 'own', team: 'harbour' });
		await h.live(12 * MINUTE);
		const waits = ['anna', 'bo', 'cleo', 'dag', 'fay', 'gus']
			.map((l) => stands(l)!)
			.filter((s) => s.state === 'failed');
		expect(waits.length).toBeGreaterThan(0);
		// What it cannot commit it does not leave behind as a draft.
		expect(all(h.db, `SELECT 1 FROM plans WHERE kind = 'desks.make' AND state = 'draft'`)).toEqual([]);
		h.lab.world.hosts.get('quay-h1')!.up = true;
		h.lab.world.hosts.get('quay-h2')!.up = true;
		await h.live(90 * MINUTE, MINUTE);
		expect(stands('anna')).toMatchObject({ state: 'ready' });
	});

	test('is refused for a shared pool, an unknown team or employment, and said where it is so already', async () => {
		const wrong = (input: object) =>
			h.draft('pool.keep-for', input).then(
				() => [],
				(e: { problems: { field: string }[] }) => e.problems.map((p) => p.field)
			);
		expect(await wrong({ pool: 'quay', team: 'harbour' })).toEqual(['pool']);
		expect(await wrong({ pool: 'own', team: 'none', employment: 'pirate', publication: 'none' })).toEqual([
			'team',
			'publication',
			'employment'
		]);
		await h.carryOut('pool.keep-for', { pool: 'own', team: 'visitors' });
		expect((await h.draft('pool.keep-for', { pool: 'own', team: 'visitors' })).blocks.map((f) => f.words)).toEqual([
			'it is kept so already'
		]);
	});
});

test('which desk fits is told by what peers of the team have used', async () => {
	expect(fitFor(h.db, { team: 'harbour', site: 'quay', at: h.lab.now }).best).toBeNull();
	h = await Harness.of(testEstate('e2e/small.yaml'));
	await h.live(20 * HOUR, MINUTE);
	const fit = fitFor(h.db, { team: 'harbour', site: 'quay', at: h.lab.now });
	expect(fit.peers).toBeGreaterThan(0);
	expect(fit.fits.map((f) => f.id).sort()).toEqual(['own', 'quay']);
	expect(fit.fits.find((f) => f.id === fit.best)!.share).toBeGreaterThan(0);
});
