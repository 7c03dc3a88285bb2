import { sectionOf } from '$lib/core/why/card';
import { beforeEach, describe, expect, test } from 'vitest';
import { ATTACH_CAUSES } from '$lib/core/packages/attaching';
import { HOUR, MINUTE, SECOND } from '$lib/core/time/units';
import type { Estate } from '$lib/core/estate/schema';
import { cardOf } from '../house/cards';
import { all } from '../db';
import { findingsAt } from '../diagnosis';
import { sweepFindings } from '../engine/findings';
import { Harness, testEstate } from '../testing/harness';
import { keepPackage } from '../testing/packages';
import { deliveriesAt, deliveryStatesAt, failuresIn, openAppsAt, packagesOn } from './delivery';

/** Everybody of the harbour opens the app for hours, as soon as they are in. */
const estate = (change: (e: Estate) => void = () => {}) =>
	testEstate('e2e/small.yaml', (e) => {
		e.directory.teams.find((t) => t.id === 'harbour')!.apps = [
			{ package: 'logline', chance: 1, times: 3, takes: 2 * HOUR }
		];
		change(e);
	});

let h: Harness;
const state = (pool = 'quay') => deliveryStatesAt(h.db, h.lab.now).find((d) => d.pool === pool)!;
const deliver = (more: object = {}) =>
	h.carryOut('package.deliver', { package: 'logline', pools: ['quay'], mode: 'start', ...more });
const machines = () =>
	all<{ name: string }>(h.db, `SELECT name FROM machines WHERE pool_id = 'quay'`).map((m) => m.name);
async function opened() {
	for (let i = 0; i < 200 && state().open === 0; i++) await h.live(2 * MINUTE, MINUTE);
	expect(state().open).toBeGreaterThan(0);
}

async function begin(change: (e: Estate) => void = () => {}) {
	h = await Harness.of(estate(change));
	keepPackage(h, 'logline', '3.0.0');
	keepPackage(h, 'logline', '3.1.0');
	await h.live(5 * MINUTE);
}

describe('a package for a pool', () => {
	beforeEach(() => begin());

	test('is on the machines that are up within seconds, and on the others when they start', async () => {
		const plan = await h.draft('package.deliver', { package: 'logline', version: '3.0.0', pools: ['quay', 'isle'] });
		expect(plan.blocks).toEqual([]);
		expect(plan.effects.machines.length).toBeGreaterThan(0);
		expect(plan.effects.sessionsEnded).toEqual([]);
		const job = await h.finish(await h.commit(plan.id));
		expect(job.state).toBe('done');
		expect(job.ended! - job.began!).toBeLessThan(2 * MINUTE);
		const s = state();
		expect(s.attached).toBe(s.up);
		expect(s.up).toBeGreaterThan(0);
		const off = all<{ name: string }>(
			h.db,
			`SELECT m.name FROM machines m JOIN machine_states s ON s.machine_id = m.id AND s.until > ${h.lab.now} WHERE m.pool_id = 'quay' AND s.state = 'off'`
		)[0]!.name;
		await h.carryOut('machine.start', { machines: [off] });
		await h.live(20 * SECOND);
		expect(state().up).toBe(s.up + 1);
		expect(state().attached).toBe(s.up + 1);
		// What is there is told with the reason, and as it was before as well.
		const card = await cardOf(h.ctx, 'machine', off, { at: h.lab.now, live: true });
		expect(sectionOf(card!, 'lines')!.lines).toMatchObject([
			{ words: 'logline 3.0.0', note: expect.stringMatching(/^attached/) as string }
		]);
		expect(deliveriesAt(h.db, job.began! - 1)).toEqual([]);
		await h.carryOut('machine.stop', { machines: [off] });
		const id = all<{ id: number }>(h.db, 'SELECT id FROM machines WHERE name = ?', [off])[0]!.id;
		expect(packagesOn(h.db, id, h.lab.now)).toEqual([]);
		expect(
			(await h.draft('package.deliver', { package: 'logline', version: '3.0.0', pools: ['quay'] })).blocks
		).toHaveLength(1);
	});

	test('changes its version under people who have it open: they keep theirs, new starts take the new one, and back', async () => {
		await deliver({ version: '3.0.0' });
		await opened();
		const before = state().people;
		const sessions = all(h.db, `SELECT id FROM sessions WHERE until > ${h.lab.now}`).length;
		const plan = await h.draft('package.deliver', { package: 'logline', version: '3.1.0', pools: ['quay'] });
		expect(plan.title).toBe('Set logline to 3.1.0 on Desks Quay');
		expect(plan.effects.people.map((p) => p.how)).toEqual(Array(before).fill('keeps 3.0.0 until they close it'));
		await h.finish(await h.commit(plan.id));
		expect(state()).toMatchObject({ people: before, old: [{ version: '3.0.0', people: before }] });
		expect(all(h.db, `SELECT id FROM sessions WHERE until > ${h.lab.now}`)).toHaveLength(sessions);
		expect(state().attached).toBe(state().up);
		// Asked to, most open it again; whoever does has the new one.
		const ask = await h.carryOut('package.ask', { package: 'logline', text: 'A newer Logline is there.' });
		expect(ask.result).toMatchObject({ asked: before });
		for (let i = 0; i < 60 && state().old.length; i++) await h.live(10 * MINUTE, MINUTE);
		expect(state().old).toEqual([]);
		expect(all(h.db, `SELECT 1 FROM app_runs WHERE version = '3.1.0'`).length).toBeGreaterThan(0);
		// The old one has left with its last user.
		expect(all(h.db, `SELECT 1 FROM attachments WHERE version = '3.0.0' AND until > ${h.lab.now}`)).toEqual([]);
		expect((await h.draft('package.ask', { package: 'logline', text: 'Again.' })).blocks).toHaveLength(1);
		// The change log undoes it.
		const change = all<{ number: number; undo: string }>(
			h.db,
			`SELECT number, undo FROM changes WHERE kind = 'package.deliver' ORDER BY number DESC`
		)[0]!;
		const undo = JSON.parse(change.undo) as { kind: string; input: unknown };
		await h.carryOut(undo.kind, undo.input);
		expect(state().version).toBe('3.0.0');
		expect(all(h.db, `SELECT 1 FROM app_refusals`)).toEqual([]);
	});

	test('its card offers the other versions and ways of being present, and was not there before', async () => {
		await deliver({ version: '3.0.0' });
		const card = (id: string, at = h.lab.now) => cardOf(h.ctx, 'delivery', id, { at, live: true });
		expect((await card('quay/logline'))!.actions.map((a) => a.words)).toEqual([
			'Set to 3.1.0',
			'Attach it at sign-in',
			'Attach it at launch',
			'Withdraw it',
			'Leave a note'
		]);
		expect((await card('quay/logline'))!.facts.map((f) => f.words)).toContain('every machine that is up has it');
		expect(await card('isle/logline')).toBe(null);
		expect(await card('quay/logline', h.lab.now - HOUR)).toBe(null);
		// The pool and the package tell of it as well.
		const pool = await cardOf(h.ctx, 'pool', 'quay', { at: h.lab.now, live: true });
		expect(sectionOf(pool!, 'lines')!.lines[0]).toMatchObject({
			words: 'logline 3.0.0',
			card: 'delivery/quay/logline'
		});
		const rows = (await cardOf(h.ctx, 'package', 'logline', { at: h.lab.now, live: true }))!.rows;
		expect(rows.find((r) => r.name === 'delivered to')!.value).toMatch(/^Desks Quay: 3.0.0, open for 0 people/);
		await deliver({ mode: 'launch' });
		expect((await card('quay/logline'))!.sub).toBe('3.1.0, attached at the first launch');
	});

	test('a pool that goes takes what it had with it, and says so', async () => {
		await deliver({ version: '3.0.0', pools: ['own'] });
		await h.carryOut('publication.change', { id: 'own', name: 'Own', internalName: 'Own', pools: ['quay'] });
		const plan = await h.draft('pool.remove', { pool: 'own' });
		expect(plan.warnings.map((w) => w.words).join()).toMatch(/logline 3.0.0 is delivered to it/);
		await h.finish(await h.commit(plan.id));
		expect(deliveriesAt(h.db, h.lab.now)).toEqual([]);
		expect(h.lab.world.packages.wishes.pools).toEqual({});
	});

	test('attached at the first launch, it comes when somebody starts it, and goes when the last one has closed it', async () => {
		await deliver({ version: '3.0.0', mode: 'launch' });
		expect(state().attached).toBe(0);
		await opened();
		expect(state().attached).toBeGreaterThan(0);
		const [first] = all<{ start: string; took: number }>(h.db, 'SELECT start, took FROM app_runs ORDER BY id');
		expect(first!.start).toBe('attached');
		expect(first!.took).toBeGreaterThan(2 * SECOND);
		const machine = openAppsAt(h.db, h.lab.now, 'logline')[0]!.machine;
		const sessions = all<{ id: number }>(
			h.db,
			`SELECT s.id FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE m.name = ? AND s.until > ${h.lab.now}`,
			[machine]
		);
		await h.carryOut('session.sign-out', { sessions: sessions.map((s) => s.id) });
		await h.live(30 * SECOND);
		expect(
			all(
				h.db,
				`SELECT 1 FROM attachments a JOIN machines m ON m.id = a.machine_id WHERE m.name = ? AND a.until > ${h.lab.now}`,
				[machine]
			)
		).toEqual([]);
	});

	test('attached at sign-in, it comes with the first person and leaves with the last', async () => {
		await deliver({ version: '3.0.0', mode: 'sign-in' });
		const inUse = () =>
			all(
				h.db,
				`SELECT DISTINCT machine_id FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE m.pool_id = 'quay' AND s.until > ${h.lab.now}`
			).length;
		await h.live(30 * SECOND);
		expect(state().attached).toBe(inUse());
	});

	test('withdrawn, it leaves with its last user, and says whom that touches; removed it is only then', async () => {
		await deliver({ version: '3.0.0' });
		await opened();
		expect((await h.draft('package.remove', { name: 'logline', number: '3.0.0' })).blocks[0]!.words).toMatch(
			/Desks Quay has it/
		);
		const plan = await h.draft('package.withdraw', { package: 'logline', pools: ['quay'] });
		expect(plan.title).toBe('Withdraw logline from Desks Quay');
		expect(plan.warnings[0]!.words).toMatch(/finds it gone/);
		await h.finish(await h.commit(plan.id));
		expect(deliveriesAt(h.db, h.lab.now)).toEqual([]);
		// It is still open: it stays on that machine alone.
		const open = new Set(openAppsAt(h.db, h.lab.now, 'logline').map((o) => o.machine));
		await h.live(30 * SECOND);
		expect(all(h.db, `SELECT DISTINCT machine_id FROM attachments WHERE until > ${h.lab.now}`)).toHaveLength(open.size);
		expect((await h.draft('package.remove', { name: 'logline', number: '3.0.0' })).blocks[0]!.words).toMatch(
			/still on/
		);
		await expect(h.draft('package.withdraw', { package: 'logline', pools: ['quay'] })).rejects.toThrow(
			/does not have logline/
		);
	});

	test('what cannot work is said before: another system, a port that is taken, a version that is not there', async () => {
		keepPackage(h, 'chartroom', '1.0.0', { system: { name: 'Meridian Desktop', version: '11', users: 'single' } });
		keepPackage(h, 'gauge', '1.0.0', { ports: ['7071'] });
		keepPackage(h, 'tide', '1.0.0', { ports: ['7071'], agent: '9.2' });
		const other = await h.draft('package.deliver', { package: 'chartroom', pools: ['quay'] });
		expect(other.blocks.map((b) => b.words).join()).toMatch(/another family.*nobody has vouched/);
		await h.carryOut('package.vouch', {
			name: 'chartroom',
			number: '1.0.0',
			system: 'Meridian Server 24',
			users: 'multi',
			why: 'tried'
		});
		expect((await h.draft('package.deliver', { package: 'chartroom', pools: ['quay'] })).blocks).toEqual([]);
		await h.carryOut('package.deliver', { package: 'gauge', pools: ['quay'] });
		expect((await h.draft('package.deliver', { package: 'tide', pools: ['quay'] })).blocks[0]!.words).toMatch(
			/both want port 7071/
		);
		await expect(h.draft('package.deliver', { package: 'tide', pools: ['nowhere'] })).rejects.toThrow(
			/no pool called nowhere/
		);
		await expect(h.draft('package.deliver', { package: 'tide', version: '9.9.9', pools: ['quay'] })).rejects.toThrow(
			/no tide 9.9.9/
		);
		await expect(h.draft('package.deliver', { package: 'nothing', pools: ['quay'] })).rejects.toThrow(/no package/);
		await expect(h.draft('package.deliver', { package: 'tide' })).rejects.toThrow(/at least one pool/);
	});
});

describe('a package that cannot be attached', () => {
	const findings = async () => {
		await sweepFindings(h.ctx, h.lab.now, { forecast: false, hour: false, remedies: false });
		return findingsAt(h.db, h.lab.now).filter((f) => f.kind === 'package not attached');
	};

	test('is a finding with its cause, tried again by itself, and the person gets a sentence', async () => {
		await begin();
		for (const m of machines()) await h.server.bench.addFault('disk-full', m, null);
		const job = await deliver({ version: '3.0.0' });
		expect(job.result).toMatchObject({ attached: 0, failed: state().up });
		expect(failuresIn(h.db, 'quay', 'logline', h.lab.now)[0]).toMatchObject({ cause: 'disk', version: '3.0.0' });
		const [found] = await findings();
		expect(found!.title).toMatch(/logline 3.0.0 is missing on \d machines? of Desks Quay: no room on the disk/);
		expect(found!.facts.map((f) => f.words).join()).toMatch(/0 B of the disk is free/);
		for (let i = 0; i < 100 && all(h.db, 'SELECT 1 FROM app_refusals').length === 0; i++)
			await h.live(3 * MINUTE, MINUTE);
		expect(all<{ words: string }>(h.db, 'SELECT words FROM app_refusals')[0]!.words).toMatch(
			/^Logline does not fit on this machine just now/
		);
		// The card says who read what.
		const card = await cardOf(h.ctx, 'delivery', 'quay/logline', { at: h.lab.now, live: true });
		expect(card!.facts.map((f) => f.words).join()).toMatch(
			/\d pe\w+ could not start it in the last day, and read: “Logline does not fit on this machine just now/
		);
		expect(card!.sub).toBe('3.0.0, present from the start of the machine');
		for (const f of await h.server.bench.faults()) await h.server.bench.clearFault(f.id);
		for (let i = 0; i < 100 && state().failing.length; i++) await h.live(5 * MINUTE, MINUTE);
		expect(state().attached).toBe(state().up);
		expect(await findings()).toEqual([]);
	});

	test('for want of the store: where it was fetched before it still comes, elsewhere it does not', async () => {
		await begin();
		await h.carryOut('machine.start', { machines: ['isle-01'] });
		await h.server.bench.addFault('link-down', 'quay/isle', null);
		await deliver({ version: '3.0.0', pools: ['quay', 'isle'] });
		expect(state('isle').failing).toEqual([{ cause: 'store', machines: state('isle').up }]);
		expect(failuresIn(h.db, 'isle', 'logline', h.lab.now)[0]!.why.at(-1)!.words).toMatch(
			/link between quay and isle is down/
		);
		expect(state('quay').failing).toEqual([]);
		// Another version chosen: what failed of the first is no trouble any more.
		await deliver({ version: '3.1.0', pools: ['isle'] });
		expect(new Set(failuresIn(h.db, 'isle', 'logline', h.lab.now).map((f) => f.version))).toEqual(new Set(['3.1.0']));
	});

	test.each<[string, (e: Estate) => void, Parameters<typeof keepPackage>[3]]>([
		['agent', () => {}, { agent: '9.9' }],
		['store', (e) => e.faults.push({ kind: 'package-store-down', target: 'quay', at: 0 }), {}]
	])('says so for each cause: %s', async (cause, change, spec) => {
		await begin(change);
		keepPackage(h, 'tide', '1.0.0', spec);
		await h.carryOut('package.deliver', { package: 'tide', pools: ['quay'] });
		expect(ATTACH_CAUSES).toContain(cause);
		expect(deliveryStatesAt(h.db, h.lab.now).find((d) => d.package === 'tide')!.failing[0]!.cause).toBe(cause);
	});
});
