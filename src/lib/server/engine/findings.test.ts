import { beforeEach, describe, expect, test } from 'vitest';
import { parseScope } from '$lib/core/scope/scope';
import { FOREVER, GB, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one, run } from '../db';
import { beginning, type FAULT_KINDS } from '$lib/core/estate/schema';
import { addressNumber } from '$lib/core/network/addresses';
import { powerOff } from '../simulator/power';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { needsAt } from '../house/needs';
import { sweepChecks } from '../diagnosis';
import { sweepFindings } from './findings';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(testEstate());
	await h.live(10 * MINUTE);
});

const fault = (kind: (typeof FAULT_KINDS)[number], target: string, value: number | null = null) =>
	h.lab.apply({ kind: 'fault', fault: kind, target, value }) as number;
const failing = () =>
	all<{ machine: string; name: string; since: number; until: number }>(
		h.db,
		'SELECT m.name AS machine, f.name, f.since, f.until FROM failing_checks f JOIN machines m ON m.id = f.machine_id ORDER BY f.since, m.name'
	);
const checks = () => sweepChecks(h.ctx, [...h.engine.observer.machines.values()], h.lab.now);
const findings = (deeper = { forecast: false, hour: false }) =>
	sweepFindings(h.ctx, h.lab.now, { ...deeper, remedies: true });
const open = () =>
	all<{ kind: string; subject_id: string; since: number; title: string; people: number }>(
		h.db,
		`SELECT kind, subject_id, since, title, people FROM findings WHERE until = ${FOREVER} ORDER BY kind, subject_id`
	);
const needs = (scope = '') => needsAt(h.db, parseScope(scope).scope, h.lab.now).needs.map((n) => n.title);

describe('checks', () => {
	test('a failing one is one interval from the sweep that saw it to the sweep that saw it pass', async () => {
		const id = fault('agent-stopped', 'quay-01');
		await checks();
		const since = h.lab.now;
		await h.live(2 * MINUTE);
		await checks();
		expect(failing()).toEqual([{ machine: 'quay-01', name: 'agent', since, until: FOREVER }]);
		h.lab.apply({ kind: 'clear fault', id });
		await h.live(2 * MINUTE);
		await checks();
		expect(failing()).toEqual([{ machine: 'quay-01', name: 'agent', since, until: h.lab.now }]);
	});

	test('only the first along the way is named: those after it were not asked', async () => {
		fault('agent-stopped', 'quay-01');
		fault('trust-lost', 'quay-01');
		await checks();
		expect(failing().map((f) => f.name)).toEqual(['agent']);
	});

	test('when another check fails instead, the first one ends', async () => {
		const id = fault('agent-stopped', 'quay-01');
		fault('trust-lost', 'quay-01');
		await checks();
		h.lab.apply({ kind: 'clear fault', id });
		await h.live(MINUTE);
		await checks();
		expect(failing().map((f) => [f.name, f.until === FOREVER])).toEqual([
			['agent', false],
			['trust', true]
		]);
	});

	test('whoever is on an unusable machine and lost a connection to it is one person', async () => {
		h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
		await h.live(5 * MINUTE);
		fault('agent-stopped', 'quay-01');
		await checks();
		const eve = `(SELECT id FROM people WHERE login = 'eve'), (SELECT id FROM machines WHERE name = 'quay-01')`;
		run(
			h.db,
			`INSERT INTO sessions SELECT 90000 + n, p, m, 'desk', 'quay-gw', 'stream', ?, ${FOREVER}, 9000, NULL, 0 FROM (SELECT 1 AS n UNION SELECT 2), (SELECT id AS p FROM people WHERE login = 'eve'), (SELECT id AS m FROM machines WHERE name = 'quay-01')`,
			[h.lab.now]
		);
		run(
			h.db,
			`INSERT INTO connections(id, person_id, machine_id, publication_id, gateway_id, protocol, address, began, ended, result, waited, took, phases, cause)
			 VALUES (90000, ${eve}, 'desk', 'quay-gw', 'stream', '10.1.0.9', ?1, ?1, 'lost', 0, 0, '[]', '[]')`,
			{ 1: h.lab.now }
		);
		expect(needsAt(h.db, parseScope('machine:quay-01').scope, h.lab.now).needs[0]).toMatchObject({
			people: 1,
			unit: 'person'
		});
	});

	test('a machine that goes off has no failing check left', async () => {
		fault('agent-stopped', 'quay-01');
		await checks();
		await h.carryOut('machine.restart', { machines: ['quay-01'] });
		powerOff(h.lab.stage, h.lab.world.machines.get('quay-01')!, 'off', 'tests');
		await h.engine.observe();
		await checks();
		expect(failing().filter((f) => f.until === FOREVER)).toEqual([]);
	});

	test('a gateway that announces a wrong port fails the last check of every machine behind it, and of no other', async () => {
		fault('gateway-port', 'quay-gw/stream', 4000);
		await checks();
		const seen = failing();
		expect(seen.length).toBeGreaterThan(0);
		expect(seen.every((f) => f.name === 'gateway' && !f.machine.startsWith('isle'))).toBe(true);
		// It is the gateway's fault: no machine counts as unusable for it.
		expect(needs().filter((t) => /unusable/.test(t))).toEqual([]);
	});
});

describe('findings', () => {
	test('stay one and the same while they hold, and end with what they found', async () => {
		const id = fault('gateway-port', 'quay-gw/stream', 4000);
		await findings();
		const [first] = open();
		expect(first).toMatchObject({ kind: 'gateway port', subject_id: 'quay-gw' });
		await h.live(3 * MINUTE);
		await findings();
		expect(open()).toMatchObject([{ since: first!.since }]);
		h.lab.apply({ kind: 'clear fault', id });
		await h.live(MINUTE);
		await findings();
		expect(open()).toEqual([]);
		expect(one<{ until: number }>(h.db, 'SELECT until FROM findings')!.until).toBe(h.lab.now);
	});

	test('the port that is announced is kept as intervals', async () => {
		fault('gateway-port', 'quay-gw/stream', 4000);
		await findings();
		expect(
			all(
				h.db,
				`SELECT announced, until = ${FOREVER} AS now FROM gateway_ports WHERE gateway_id = 'quay-gw' AND protocol = 'stream' ORDER BY since`
			)
		).toEqual([
			{ announced: 3478, now: 0 },
			{ announced: 4000, now: 1 }
		]);
	});

	test('a relay that was given up and is handed out again loses those who come from outside, and them alone', async () => {
		const estate = testEstate('e2e/small.yaml', (e) => {
			QUIET(e);
			e.directory.people.find((p) => p.login === 'anna')!.managed_endpoint = false;
			const until = beginning(e) + 5 * MINUTE;
			e.gateways[0]!.relay = {
				address: addressNumber('203.0.113.7'),
				before: { address: addressNumber('192.0.2.7'), until }
			};
		});
		h = await Harness.of(estate);
		await findings();
		await h.live(20 * MINUTE);
		await findings();
		expect(open()).toEqual([]);
		fault('gateway-relay', 'quay-gw');
		// Bo comes from an office, Anna from outside; Cleo, too, but by a protocol that needs no relay.
		for (const login of ['bo', 'anna', 'cleo'])
			h.lab.apply({ kind: 'connect', login, publication: 'desk', secondFactor: true, key: login });
		await h.live(10 * MINUTE);
		await findings();
		expect(open().map((f) => [f.kind, f.subject_id])).toEqual([['gateway relay', 'quay-gw']]);
		const [need] = needsAt(h.db, parseScope('').scope, h.lab.now).needs;
		expect(need).toMatchObject({
			count: 1,
			title: 'People outside the offices get no picture through the Quay gateway'
		});
		expect(JSON.stringify(one(h.db, `SELECT facts FROM findings WHERE kind = 'gateway relay'`))).toContain(
			'192.0.2.7 was handed out before, and given up'
		);
		const plan = await h.draft('gateway.set-relay', { gateway: 'quay-gw', address: '203.0.113.7' });
		expect(plan.effects.people).toMatchObject([{ id: 'anna', helped: true }]);
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect(open()).toEqual([]);
		const lost = all<{ login: string; cause: string }>(
			h.db,
			`SELECT p.login, c.cause FROM connections c JOIN people p ON p.id = c.person_id WHERE c.result = 'lost'`
		);
		expect([...new Set(lost.map((c) => c.login))]).toEqual(['anna']);
		expect(lost[0]!.cause).toContain('its relay stands at 203.0.113.7');
		await expect(h.draft('gateway.set-relay', { gateway: 'isle', address: '203.0.113.7' })).rejects.toMatchObject({
			problems: [{ field: 'gateway' }]
		});
		await expect(h.draft('gateway.set-relay', { gateway: 'quay-gw', address: 'there' })).rejects.toMatchObject({
			problems: [{ field: 'address' }]
		});
	});

	test('a relay that moves while an old address is handed out is handed out where it stands once the fault is cleared', async () => {
		const moves = { address: addressNumber('192.0.2.7'), until: 0 };
		h = await Harness.of(
			testEstate('e2e/small.yaml', (e) => {
				QUIET(e);
				moves.until = beginning(e) + 5 * MINUTE;
				e.gateways[0]!.relay = { address: addressNumber('203.0.113.7'), before: moves };
			})
		);
		const id = fault('gateway-relay', 'quay-gw');
		await h.live(10 * MINUTE);
		h.lab.apply({ kind: 'clear fault', id });
		await h.live(MINUTE);
		const relay = (await h.ctx.providers.network.relays()).find((r) => r.gateway === 'quay-gw');
		expect(relay).toMatchObject({ announced: '203.0.113.7', stands: '203.0.113.7' });
	});

	test('several things wrong at once stand beside each other', async () => {
		fault('gateway-port', 'quay-gw/stream', 4000);
		fault('volume-full', 'isle-v1', 0.97);
		fault('range-used-up', 'quay-desks');
		await findings();
		expect(open().map((f) => [f.kind, f.subject_id])).toEqual([
			['addresses running out', 'quay-desks'],
			['gateway port', 'quay-gw'],
			['volume nearly full', 'isle-v1']
		]);
	});

	test('those of a comparison that was not made this time stay open', async () => {
		run(
			h.db,
			`INSERT INTO findings(kind, subject_kind, subject_id, site_id, since, until, title, people, facts, remedy)
			 VALUES ('pool runs out', 'pool', 'quay', 'quay', ?, ${FOREVER}, 'may run out', 3, '[]', NULL), ('slow sign-ins', 'version', 'desk/1.0.0', NULL, ?, ${FOREVER}, 'slow', 3, '[]', NULL)`,
			[h.lab.now - 1, h.lab.now - 1]
		);
		await findings();
		expect(open().map((f) => f.kind)).toEqual(['pool runs out', 'slow sign-ins']);
		await findings({ forecast: true, hour: false });
		expect(open().map((f) => f.kind)).toEqual(['slow sign-ins']);
		await findings({ forecast: false, hour: true });
		expect(open()).toEqual([]);
	});

	test('a machine that runs away is found after twenty minutes without a pause, not before', async () => {
		await h.live(2 * MINUTE);
		fault('runaway', 'quay-01');
		await h.live(12 * MINUTE);
		await findings();
		expect(open()).toEqual([]);
		await h.live(10 * MINUTE);
		await findings();
		expect(open()).toMatchObject([{ kind: 'runaway machine', subject_id: 'quay-01' }]);
		// Whoever has two sessions on it is one person.
		const people = () => needsAt(h.db, parseScope('machine:quay-01').scope, h.lab.now).needs[0]!.people;
		const before = people();
		run(
			h.db,
			`INSERT INTO sessions SELECT 90000 + n, (SELECT id FROM people WHERE login = 'eve'), (SELECT id FROM machines WHERE name = 'quay-01'),
			 'desk', 'quay-gw', 'stream', ?, ${FOREVER}, 9000, NULL, 0 FROM (SELECT 1 AS n UNION SELECT 2)`,
			[h.lab.now]
		);
		expect(people()).toBe(before + 1);
	});
});

describe('slow sign-ins', () => {
	/** A connection of somebody that opened on quay-01 now; taken up again, it has no desktop to start. */
	const opened = (login: string, drives: number, again = false) =>
		run(
			h.db,
			`INSERT INTO connections SELECT (SELECT coalesce(max(id), 0) + 1 FROM connections), id, 'desk', 'quay-gw', 'stream', '10.1.0.9', ?1, ?1, 'open',
			 (SELECT id FROM machines WHERE name = ?3), NULL, 'quay', 0, 9000, ?2, '[]', NULL FROM people WHERE login = ?4`,
			{
				1: h.lab.now,
				2: JSON.stringify([{ name: 'drives', ms: drives }, ...(again ? [] : [{ name: 'shell', ms: 4000 }])]),
				3: login === 'dag' ? 'isle-01' : 'quay-01',
				4: login
			}
		);
	test('count the people whose sign-ins were slow, not those who took a session up again', async () => {
		run(
			h.db,
			`UPDATE machine_spots SET version = '1.1.0' WHERE machine_id = (SELECT id FROM machines WHERE name = 'isle-01')`
		);
		for (let i = 0; i < 3; i++) for (const login of ['anna', 'bo']) opened(login, 46_000);
		for (let i = 0; i < 6; i++) opened('dag', 1500);
		opened('cleo', 46_000, true);
		await findings({ forecast: false, hour: true });
		const [found] = open();
		expect(found).toMatchObject({ kind: 'slow sign-ins', subject_id: 'desk/1.0.0', people: 2 });
		expect(found!.title).toMatch(/drives and printers takes 46 s, usually 1\.5 s/);
		// What Today says of it stays with the figures that it was found by.
		opened('cleo', 46_000);
		const need = needsAt(h.db, parseScope('').scope, h.lab.now).needs.find((n) => /Slow sign-ins/.test(n.title))!;
		expect(need.people).toBe(2);
		expect(need.facts[0]!.words).toMatch(/median of 6 sign-ins/);
		expect(need.breakdown).toMatch(/line%3Adesk\+version%3A1\.0\.0/);
		expect(need.plan!.kind).toBe('image.hold');
		await h.carryOut(need.plan!.kind, need.plan!.input);
		const held = needsAt(h.db, parseScope('').scope, h.lab.now).needs.find((n) => /Slow sign-ins/.test(n.title))!;
		expect(held.plan).toBeNull();
	});
});

describe('a personal pool that people give up on', () => {
	const wait = async (logins: string[]) => {
		for (const login of logins)
			await h.ctx.providers.broker.connect(login, 'own', true, `${login} ${h.lab.now}`, false);
		await h.live(13 * MINUTE, 20_000);
	};
	const need = () => needsAt(h.db, parseScope('').scope, h.lab.now).needs.find((n) => /gave up waiting/.test(n.title));
	const everybody = ['anna', 'bo', 'cleo', 'eve'];
	const begin = async (memory: number[] = []) => {
		h = await Harness.of(
			testEstate('e2e/small.yaml', (e) => {
				QUIET(e);
				e.grants.push({ ...e.grants[1]!, person: undefined, team: 'everybody' });
				memory.forEach((m, i) => (e.hosts[i]!.memory = m));
			})
		);
		await h.live(MINUTE);
	};
	const deep = () => findings({ forecast: false, hour: true });

	test('is a finding: people and times told apart, with machines for those who have none, and goes when they have', async () => {
		await begin();
		await wait(everybody);
		await wait(everybody);
		await deep();
		expect(need()).toMatchObject({
			people: 2,
			count: 2,
			unit: 'people',
			title: '2 people gave up waiting for Own machines 4 times in 24 h',
			plan: { kind: 'pool.grow', input: { pool: 'own', count: 2 }, words: 'Plan +2' },
			about: { site: ['quay'], pool: ['own'] }
		});
		expect(need()!.plan!.blocked).toBeUndefined();
		expect(need()!.facts[1]!.words).toBe(
			'2 people have no machine of their own, and each of its 2 machines has an owner'
		);
		await h.carryOut(need()!.plan!.kind, need()!.plan!.input);
		await deep();
		expect(need()).toBeUndefined();
	});

	test('offers what there is room for where there is not room for all, and says what blocks the rest', async () => {
		// The eight machines of the site take 96 GB, and each more of them 12.
		await begin([60 * GB, 48 * GB]);
		await wait(everybody);
		await wait(everybody);
		await deep();
		expect(need()).toMatchObject({ plan: { input: { count: 1 }, words: 'Plan +1 of the 2' } });
		expect(
			need()!
				.facts.map((f) => f.words)
				.join('\n')
		).toMatch(/“Plan \+2” is blocked now: .*memory/);
	});

	test('where there is no room at all, the plan is marked, with what the plan itself says', async () => {
		await begin([48 * GB, 48 * GB]);
		await wait(everybody);
		await wait(everybody);
		await deep();
		expect(need()!.plan).toMatchObject({
			words: 'Plan +2',
			blocked: expect.stringMatching(/memory missing/) as string
		});
		expect((await h.draft('pool.grow', need()!.plan!.input)).blocks.map((b) => b.words)).toContain(
			need()!.plan!.blocked
		);
	});

	test('a few who gave up are none, nor is a week that is over', async () => {
		await begin();
		await wait(['anna', 'bo', 'cleo']);
		await deep();
		expect(need()).toBeUndefined();
		await wait(everybody);
		await wait(everybody);
		await deep();
		expect(need()).toBeDefined();
		await h.live(7 * 24 * HOUR, HOUR);
		await deep();
		expect(need()).toBeUndefined();
	});
});

describe('Today under a scope', () => {
	beforeEach(async () => {
		fault('gateway-port', 'quay-gw/stream', 4000);
		fault('volume-full', 'isle-v1', 0.97);
		fault('agent-stopped', 'quay-01');
		await checks();
		await findings();
	});

	test('holds what is about something in it', () => {
		expect(needs()).toHaveLength(3);
		expect(needs('site:isle')).toEqual(['Volume isle-v1 is 97 % full']);
		expect(needs('pool:isle')).toEqual(['Volume isle-v1 is 97 % full']);
		expect(needs('gateway:quay-gw protocol:stream')).toHaveLength(1);
		expect(needs('machine:quay-01')).toEqual(['quay-01 is unusable: its agent does not answer']);
		expect(needs('host:quay-h1,quay-h2')).toEqual(['quay-01 is unusable: its agent does not answer']);
		expect(needs('-site:quay')).toEqual(['Volume isle-v1 is 97 % full']);
		expect(needs('unusable')).toHaveLength(1);
		expect(needs('site:nowhere')).toEqual([]);
	});

	test('names what needs do not answer to', () => {
		const { needs: all_, left } = needsAt(h.db, parseScope('team:harbour strain>50').scope, h.lab.now);
		expect(all_).toHaveLength(3);
		expect(left).toHaveLength(2);
	});

	test('holds work that touches something in it', async () => {
		await h.draft('policy.set', { pool: 'isle', headroomIn: 2 });
		expect(needs('site:isle')).toContain('Change the policy of Desks Isle');
		expect(needs('pool:isle')).toContain('Change the policy of Desks Isle');
		expect(needs('site:quay')).not.toContain('Change the policy of Desks Isle');
		await h.draft('grant.add', { publication: 'desk', team: 'visitors' });
		expect(needs('publication:desk')).toHaveLength(1);
	});

	test('a moment before it all began shows nothing of it', () => {
		expect(needsAt(h.db, parseScope('').scope, h.lab.now - 5 * MINUTE).needs).toEqual([]);
	});
});
