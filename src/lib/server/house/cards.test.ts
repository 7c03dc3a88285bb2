import { sectionOf } from '$lib/core/why/card';
import { beforeAll, describe, expect, test } from 'vitest';
import { addressText } from '$lib/core/network/addresses';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { testAccess } from '../access';
import { one, run } from '../db';
import { PLAN_KINDS } from '../areas';
import { parseInput } from '../plans';
import { Harness } from '../testing/harness';
import { hostsPage, peoplePage } from '../watch';
import { parseScope } from '$lib/core/scope/scope';
import { cardOf } from './cards';

let h: Harness;
beforeAll(async () => {
	h = await Harness.of();
	await h.live(3 * HOUR, 15_000);
});
const card = (kind: string, id: string, at = h.lab.now, live = true) => cardOf(h.ctx, kind, id, { at, live });

describe('cards', () => {
	test('of a machine say its state and why, run its checks, and offer plans that can be drafted', async () => {
		const c = (await card('machine', 'quay-01'))!;
		const machine = h.lab.world.machines.get('quay-01')!;
		expect(c.facts[0]!.words).toMatch(new RegExp(`^it is ${machine.state}`));
		expect(c.rows!.map((r) => r.value)).toEqual(expect.arrayContaining([machine.host, addressText(machine.address!)]));
		expect(sectionOf(c, 'checks')!.checks.map((x) => x.ok)).not.toContain(false);
		for (const a of c.actions) {
			const kind = PLAN_KINDS.find((k) => k.kind === a.kind)!;
			expect(
				() =>
					parseInput(
						kind.schema,
						a.ask ? { ...(a.input as object), [a.ask.field]: a.ask.field === 'rule' ? 'newest' : 'words' } : a.input
					),
				a.words
			).not.toThrow();
		}
	});

	test('of a machine that its policy started carry the facts of that decision', async () => {
		const started = one<{ name: string; at: number }>(
			h.db,
			`SELECT m.name, a.at FROM power_actions a JOIN machines m ON m.id = a.machine_id WHERE a.action = 'start' ORDER BY a.at LIMIT 1`
		)!;
		const c = (await card('machine', started.name, started.at + MINUTE, false))!;
		expect(c.facts.map((f) => f.words).join('; ')).toMatch(/seats? (are|is) to be kept ready/);
	});

	test('of the past offer nothing to do, and tell the state of then', async () => {
		const past = (await card('machine', 'quay-01', h.lab.now - 3 * HOUR + 30_000, false))!;
		expect(past.actions).toEqual([]);
		expect(past.facts[0]!.words).not.toBe((await card('machine', 'quay-01'))!.facts[0]!.words);
	});

	test('tell of times whose minutes are no longer kept by the quarter hours, as lists do', async () => {
		const at = h.lab.now - HOUR;
		// While all minutes are kept they tell, however young the estate is.
		expect(sectionOf((await card('machine', 'quay-01'))!, 'samples')!.step).toBe(MINUTE);
		// As they are after 48 hours.
		run(h.db, 'DELETE FROM samples_1m WHERE at < ?', [h.lab.now - 20 * MINUTE]);
		run(h.db, 'DELETE FROM host_samples_1m WHERE at < ?', [h.lab.now - 20 * MINUTE]);
		const c = (await card('host', 'quay-h1', at, false))!;
		const listed = hostsPage(h.db, {
			scope: parseScope('').scope,
			at,
			sort: 'name',
			descending: false,
			limit: 50,
			offset: 0
		}).rows.find((x) => x.name === 'quay-h1')!;
		expect(c.facts[0]!.words).toMatch(/% of its cores are asked for on the average of that quarter hour/);
		expect(c.rows.find((r) => r.name === 'cores')!.value).toMatch(new RegExp(`^${Math.round(listed.cores! * 100)} %`));
		expect(sectionOf(c, 'lines')!.lines.some((r) => /strain \d/.test(r.note ?? ''))).toBe(true);
		const m = (await card('machine', 'quay-01', at, false))!;
		expect(sectionOf(m, 'samples')!.points.length).toBeGreaterThan(5);
		expect(sectionOf(m, 'samples')!.step).toBe(15 * MINUTE);
		expect(m.facts.map((f) => f.words).join()).toMatch(/strain \d+ at most in that quarter hour/);
	});

	test('of a session show its phases against the usual ones', async () => {
		const { id } = one<{ id: number }>(h.db, 'SELECT id FROM sessions ORDER BY id LIMIT 1')!;
		const c = (await card('session', String(id)))!;
		expect(sectionOf(c, 'phases')!.phases).toHaveLength(9);
		expect(sectionOf(c, 'phases')!.total).toBe(sectionOf(c, 'phases')!.phases.reduce((n, p) => n + p.ms, 0));
		expect(Object.keys(sectionOf(c, 'phases')!.usual)).toContain('shell');
	});

	test('of a person list each publication with the grant it comes from, and their connections', async () => {
		const c = (await card('person', 'anna'))!;
		expect(c.facts[0]!.words).toMatch(/My desk, by the grant to Harbour/);
		expect(sectionOf(c, 'connections')!.connections.length).toBeGreaterThan(0);
		expect((await card('person', 'eve'))!.facts[0]!.words).toMatch(/My own machine, by the grant to Eve Sloop/);
		expect((await card('person', 'dag'))!.facts.some((f) => /grant to Harbour/.test(f.words))).toBe(true);
	});

	test.each([
		['pool', 'quay'],
		['host', 'quay-h1'],
		['version', 'desk/1.1.0'],
		['publication', 'desk'],
		['grant', '1'],
		['gateway', 'quay-gw'],
		['volume', 'quay-v1']
	])('of a %s have a title, rows and facts', async (kind, id) => {
		const c = (await card(kind, id))!;
		expect(c.title.length).toBeGreaterThan(0);
		expect(c.rows.length).toBeGreaterThan(1);
		expect(c.facts.length).toBeGreaterThan(0);
		expect(c.facts.every((f) => f.words.length > 3 && !/undefined|NaN|\[object/.test(f.words))).toBe(true);
	});

	test('of what is not there are none', async () => {
		for (const [kind, id] of [
			['machine', 'nowhere'],
			['session', '99999'],
			['person', 'x'],
			['pool', 'x'],
			['version', 'desk/9.9.9'],
			['unicorn', '1'],
			['finding', 'x']
		] as const)
			expect(await card(kind, id), kind).toBeNull();
	});

	test('of a version compare it with the one before', async () => {
		const c = (await card('version', 'desk/1.1.0'))!;
		expect(sectionOf(c, 'compared')).toMatchObject({
			with: '1.0.0',
			changes: [{ name: 'Paperlane', before: null }, { name: 'Meridian Server' }]
		});
		expect(c.sub).toMatch(/held back/);
	});
});

describe('the tester of access', () => {
	test('the tester answers for an address, an endpoint and a factor of one’s choice', () => {
		expect(
			testAccess(h.db, {
				login: 'nobody',
				publication: 'desk',
				at: h.lab.now,
				address: null,
				managed: null,
				secondFactor: true
			})
		).toBeNull();
		expect(
			testAccess(h.db, {
				login: 'cleo',
				publication: 'desk',
				at: h.lab.now,
				address: '192.0.2.9',
				managed: true,
				secondFactor: false
			})!.request
		).toMatchObject({ address: '192.0.2.9', device: { name: null, certificate: 'good' }, secondFactor: false });
	});
});

describe('people and hosts as lists', () => {
	const ask = (scope: string, sort = 'name') => ({
		at: h.lab.now,
		scope: parseScope(scope).scope,
		sort,
		descending: false,
		limit: 50,
		offset: 0
	});
	test.each([
		['', 5],
		['team:harbour', 4],
		['team:everybody', 5],
		['-team:harbour', 1],
		['site:isle', 1],
		['rigg', 1],
		['person:anna,bo', 2],
		['pool:isle', 0]
	])('“%s” holds %i people', (scope, n) => {
		expect(peoplePage(h.db, ask(scope)).rows).toHaveLength(n);
	});
	test('a host counts what runs on it', () => {
		const hosts = hostsPage(h.db, ask('', 'sessions')).rows;
		expect(hosts.reduce((n, x) => n + x.machines, 0)).toBe(11);
		expect(hosts.reduce((n, x) => n + x.sessions, 0)).toBe(
			one<{ n: number }>(h.db, `SELECT count(*) AS n FROM sessions WHERE until > ${h.lab.now}`)!.n
		);
		expect(hostsPage(h.db, ask('pool:isle')).rows.map((x) => x.name)).toEqual(['isle-h1']);
	});
});
