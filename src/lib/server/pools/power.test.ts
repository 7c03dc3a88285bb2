import { beforeEach, describe, expect, test } from 'vitest';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { all, one } from '../db';
import { powerOff } from '../simulator/power';
import { Harness, testEstate } from '../testing/harness';
import { machinesInJobs, powerMinute } from './power';

/** Nobody comes by themselves: the tests decide who does. The harness begins some hours before 10:00 in Quay. */
const quiet = () =>
	testEstate('e2e/small.yaml', (e) => {
		for (const t of e.directory.teams) t.habits = [];
		e.lab.history_days = 0.01;
	});

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(quiet());
});

const upIn = (pool: string) =>
	all<{ name: string }>(
		h.db,
		`SELECT m.name FROM machines m JOIN machine_states s ON s.machine_id = m.id AND s.until > ?1 AND s.since <= ?1
		 WHERE m.pool_id = ?2 AND s.state NOT IN ('off', 'failed') ORDER BY m.name`,
		{ 1: h.lab.now, 2: pool }
	).map((m) => m.name);
const actions = () =>
	all<{ name: string; action: string; at: number; words: string }>(
		h.db,
		`SELECT m.name, a.action, a.at, (SELECT group_concat(json_extract(j.value, '$.words'), '; ') FROM json_each(a.facts) j) AS words
		 FROM power_actions a JOIN machines m ON m.id = a.machine_id ORDER BY a.at, m.name`
	);
const policy = (pool: string, change: Record<string, unknown>) => h.carryOut('policy.set', { pool, ...change });

describe('a policy in its hours', () => {
	test('starts what the headroom asks for, and says why', async () => {
		await h.live(5 * MINUTE);
		// Headroom 3 at 2 sessions a machine: two machines.
		expect(upIn('quay')).toEqual(['quay-01', 'quay-02']);
		const first = actions().filter((a) => a.name.startsWith('quay'));
		expect(first.map((a) => a.action)).toEqual(['start', 'start']);
		expect(first[0]!.words).toMatch(/3 seats are to be kept ready; 3 seats missing/);
	});

	test('asks for no more while what it asked for is on its way', async () => {
		await h.live(90_000);
		const asked = actions().length;
		powerMinute(h.ctx, h.engine.observer.machines, h.lab.now);
		powerMinute(h.ctx, h.engine.observer.machines, h.lab.now);
		expect(actions()).toHaveLength(asked);
	});

	test('a raised headroom starts more; a lowered one stops them only after the patience', async () => {
		await h.live(5 * MINUTE);
		await policy('quay', { headroomIn: 8 });
		await h.live(3 * MINUTE);
		expect(upIn('quay')).toHaveLength(4);

		await policy('quay', { headroomIn: 2 });
		const lowered = h.lab.now;
		await h.live(4 * MINUTE);
		expect(upIn('quay')).toHaveLength(4);
		await h.live(18 * MINUTE);
		expect(upIn('quay')).toHaveLength(1);
		const stops = actions().filter((a) => a.action === 'stop');
		expect(stops.length).toBe(3);
		for (const s of stops) {
			expect(s.at).toBeGreaterThan(lowered);
			expect(s.words).toMatch(/idle|patience/);
		}
	});

	test('never stops a machine under somebody', async () => {
		await h.live(5 * MINUTE);
		h.lab.apply({ kind: 'connect', login: 'anna', publication: 'desk', secondFactor: false, key: 'k' });
		await h.live(3 * MINUTE);
		const machine = one<{ name: string }>(
			h.db,
			'SELECT m.name FROM sessions s JOIN machines m ON m.id = s.machine_id'
		)!;
		await policy('quay', { headroomIn: 0, least: 0, patience: MINUTE });
		await h.live(40 * MINUTE);
		expect(upIn('quay')).toEqual([machine.name]);
	});

	test('goes no further than its most', async () => {
		await policy('quay', { headroomIn: 12, most: 3 });
		await h.live(10 * MINUTE);
		expect(upIn('quay')).toHaveLength(3);
	});

	test('starts another where a machine has failed', async () => {
		await h.live(5 * MINUTE);
		h.lab.apply({ kind: 'fault', fault: 'machine-hangs', target: 'quay-01', value: null });
		powerOff(h.lab.stage, h.lab.world.machines.get('quay-01')!, 'failed', 'its power supply broke');
		await h.live(3 * MINUTE);
		expect(upIn('quay')).toEqual(['quay-02', 'quay-03']);
	});
});

describe('people who wait', () => {
	test('have a machine started for them although the headroom asks for none', async () => {
		await policy('isle', { headroomIn: 0, headroomOut: 0, least: 0 });
		expect(upIn('isle')).toEqual([]);
		h.lab.apply({ kind: 'connect', login: 'dag', publication: 'desk', secondFactor: false, key: 'dag' });
		await h.live(6 * MINUTE);
		expect(upIn('isle')).toHaveLength(1);
		expect(actions().find((a) => a.name.startsWith('isle'))!.words).toMatch(/wait/);
		expect(one<{ waited: number }>(h.db, 'SELECT waited FROM connections')!.waited).toBeGreaterThan(30_000);
	});
});

describe('out of hours', () => {
	test('what is idle goes off after the patience, down to the least', async () => {
		await h.live(5 * MINUTE);
		expect(upIn('quay').length).toBeGreaterThan(1);
		// Office hours end at 17:30; headroom outside them is none, and at least one stays up.
		await h.live(8.5 * HOUR, 30_000);
		expect(upIn('quay')).toHaveLength(1);
	});
});

describe('personal machines', () => {
	test('are not started by headroom, and go off when idle longer than the patience', async () => {
		await h.live(10 * MINUTE);
		expect(upIn('own')).toEqual([]);
		h.lab.apply({ kind: 'connect', login: 'eve', publication: 'own', secondFactor: false, key: 'eve' });
		await h.live(5 * MINUTE);
		const [own] = upIn('own');
		expect(own).toBeDefined();
		const session = one<{ id: number }>(h.db, 'SELECT id FROM sessions')!.id;
		await h.carryOut('session.sign-out', { sessions: [session] });
		await h.live(20 * MINUTE);
		expect(upIn('own')).toEqual([own]);
		await h.live(15 * MINUTE);
		expect(upIn('own')).toEqual([]);
		expect(actions().at(-1)!.words).toMatch(/nobody has used it/);
	});
});

describe('machines that a job works on', () => {
	test('are left alone while it runs, and only then', async () => {
		await h.live(5 * MINUTE);
		const job = await h.commit((await h.draft('machine.restart', { machines: ['quay-01'] })).id);
		h.runner.tick();
		expect([...machinesInJobs(h.ctx)]).toEqual(['quay-01']);
		await h.finish(job);
		expect([...machinesInJobs(h.ctx)]).toEqual([]);
	});

	test('a job that waits for its time holds nothing yet', async () => {
		await h.live(5 * MINUTE);
		await h.commit((await h.draft('machine.restart', { machines: ['quay-01'] })).id, h.lab.now + HOUR);
		h.runner.tick();
		expect([...machinesInJobs(h.ctx)]).toEqual([]);
	});
});
