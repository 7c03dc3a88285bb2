import { describe, expect, test } from 'vitest';
import { headroomAt } from '$lib/core/capacity/policy';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { poolAt } from '../pools';
import { all, one, run } from '../db';
import { verifyData } from '../verify';
import { jobById } from '../jobs';
import { schedulesAt } from '../schedules';
import { Harness, testEstate } from '../testing/harness';
import { followingAt, poolsBehind, rulesAt, versionToMake, whoTakes } from './following';

const estate = (people: number) =>
	testEstate('e2e/small.yaml', (e) => {
		e.lab.failure = 0;
		for (const p of e.pools) p.follows = { takes: 'newest' };
		for (const s of e.sites) for (const l of s.links) l.mbit = 1000;
		const anna = e.directory.people[0]!;
		e.directory.people = Array.from({ length: people }, (_v, i) => ({ ...anna, login: `p${i}`, name: `Person ${i}` }));
		e.grants = e.grants.filter((g) => g.team);
	});

describe('while machines follow', () => {
	test('capacity never falls under what the hours need, and nobody waits for it', async () => {
		const h = await Harness.of(estate(6));
		await h.live(4 * HOUR, MINUTE);
		const released = h.lab.now;
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		let lowest = Infinity;
		for (let i = 0; i < 30 * 60; i++) {
			await h.live(MINUTE, MINUTE);
			const pool = poolAt(h.db, 'quay', h.lab.now)!;
			const up = one<{ n: number; s: number | null }>(
				h.db,
				`SELECT count(*) AS n, sum((SELECT count(*) FROM sessions x WHERE x.machine_id = m.id AND x.until = 9007199254740991)) AS s FROM machines m
				 JOIN machine_states st ON st.machine_id = m.id AND st.until = 9007199254740991 AND st.state IN ('ready', 'in use')
				 WHERE m.pool_id = 'quay' AND m.until = 9007199254740991`
			)!;
			const moving = one<{ n: number }>(
				h.db,
				`SELECT count(*) AS n FROM moves mv JOIN machines m ON m.id = mv.machine_id WHERE mv.ended IS NULL AND m.pool_id = 'quay'`
			)!.n;
			// Of what the hour needs, nothing is missing on account of a move.
			if (moving > 0)
				lowest = Math.min(lowest, up.n * pool.perMachine - (up.s ?? 0) - headroomAt(pool.policy, pool.zone, h.lab.now));
		}
		expect(
			one(h.db, `SELECT count(*) AS n FROM machine_spots WHERE version = '1.1.0' AND until = 9007199254740991`)
		).toEqual({ n: 11 });
		expect(lowest).toBeGreaterThanOrEqual(-2);
		// Somebody may wait for a machine to start, as on any morning; nobody gives up.
		expect(all(h.db, `SELECT 1 FROM connections WHERE result = 'gave up' AND began > ?`, [released])).toEqual([]);
		expect(all(h.db, `SELECT ended_by FROM sessions WHERE ended_by LIKE '%reset%'`)).toEqual([]);
		expect(verifyData(h.db)).toEqual([]);
	});

	test('the cheap question agrees with the full one', async () => {
		const h = await Harness.of(estate(1));
		await h.live(5 * MINUTE);
		expect(poolsBehind(h.db, h.lab.now)).toEqual([]);
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		expect(poolsBehind(h.db, h.lab.now).length).toBeGreaterThan(0);
		await h.live(40 * HOUR, 5 * MINUTE);
		expect(poolsBehind(h.db, h.lab.now)).toEqual([]);
		const groups = whoTakes(followingAt(h.db, h.lab.now), 'desk', '1.1.0');
		expect(groups.map((g) => [g.reason, g.machines.length])).toEqual([['has it', 11]]);
		expect(whoTakes(followingAt(h.db, h.lab.now), 'nothing', '1.1.0')).toEqual([]);
	});

	test('machines that are made later are made from what the rule asks for', async () => {
		const h = await Harness.of(estate(1));
		await h.live(5 * MINUTE);
		const pool = () => poolAt(h.db, 'quay', h.lab.now)!;
		expect(versionToMake(h.db, pool(), h.lab.now)).toBe('1.0.0');
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		expect(versionToMake(h.db, pool(), h.lab.now)).toBe('1.1.0');
		const plan = await h.draft('pool.grow', { pool: 'quay', count: 1 });
		expect(plan.reasons.map((r) => r.words)).toContain('they are made from desk 1.1.0, which the pool’s rule asks for');
		await h.finish(await h.commit(plan.id));
		expect(
			one(
				h.db,
				`SELECT pl.version FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id WHERE m.name = 'quay-07'`
			)
		).toEqual({ version: '1.1.0' });
		await h.carryOut('image.follow', { pool: 'quay', rule: 'nothing' });
		expect(versionToMake(h.db, pool(), h.lab.now)).toBe('1.0.0');
	});

	test('rules are kept as they were at any moment', async () => {
		const h = await Harness.of(estate(1));
		await h.live(5 * MINUTE);
		const before = h.lab.now;
		await h.carryOut('image.follow', { pool: 'isle', rule: 'newest 1.0.x', takesAt: 'next start' });
		expect(rulesAt(h.db, before).get('pool/isle')).toMatchObject({ rule: { takes: 'newest' }, when: 'next sign-out' });
		expect(rulesAt(h.db, h.lab.now).get('pool/isle')).toMatchObject({
			rule: { takes: 'range', range: '1.0.x' },
			when: 'next start'
		});
	});

	test('at its next start: a machine that is up keeps what it has until it stops', async () => {
		const h = await Harness.of(estate(1));
		await h.carryOut('image.follow', { pool: 'quay', rule: 'newest', takesAt: 'next start' });
		await h.live(HOUR, MINUTE);
		const up = all<{ name: string }>(
			h.db,
			`SELECT m.name FROM machines m JOIN machine_states s ON s.machine_id = m.id AND s.until = 9007199254740991 AND s.state <> 'off' WHERE m.pool_id = 'quay'`
		).map((m) => m.name);
		expect(up.length).toBeGreaterThan(0);
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		await h.live(20 * MINUTE, MINUTE);
		const on = (name: string) =>
			one<{ version: string }>(
				h.db,
				'SELECT pl.version FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = 9007199254740991 WHERE m.name = ?',
				[name]
			)!.version;
		const stillUp = up.filter((name) => h.lab.world.machines.get(name)!.state !== 'off');
		for (const name of stillUp) expect(on(name)).toBe('1.0.0');
		expect(all(h.db, `SELECT 1 FROM moves WHERE error IS NULL AND ended IS NOT NULL`).length).toBeGreaterThan(0);
	});
});

describe('schedules', () => {
	const daily = {
		title: 'Nightly',
		kind: 'machines.reset',
		input: { pool: 'isle' },
		rule: 'FREQ=DAILY',
		begins: '2026-11-10T03:00',
		zone: 'Etc/UTC'
	};
	test('let pools be reset by a rule, each time with a plan of its own', async () => {
		const h = await Harness.of(estate(1));
		await h.carryOut('schedule.add', daily);
		await h.live(50 * HOUR, 2 * MINUTE);
		const jobs = all<{ id: number; by: string; state: string }>(
			h.db,
			`SELECT id, by, state FROM jobs WHERE kind = 'machines.reset'`
		);
		expect(jobs.length).toBe(2);
		expect(jobs.every((j) => j.state === 'done' && j.by === 'Nightly, set by Runa Solheim')).toBe(true);
		expect(new Set(jobs.map((j) => jobById(h.db, j.id, h.lab.now)!.planId)).size).toBe(2);
	});
	test('are not made up for when nothing ran for long, and say so', async () => {
		const h = await Harness.of(estate(1));
		await h.carryOut('schedule.add', daily);
		// As if the process had slept for three days: what is due is long past.
		run(h.db, 'UPDATE schedules SET done_to = ?', [h.lab.now - 3 * 24 * HOUR]);
		await h.live(2 * MINUTE, MINUTE);
		const runs = all<{ refused: string | null; job_id: number | null }>(
			h.db,
			'SELECT refused, job_id FROM schedule_runs ORDER BY due'
		);
		expect(runs.length).toBeGreaterThanOrEqual(2);
		expect(runs[0]).toEqual({ refused: 'it was due while Sextant did not run', job_id: null });
		expect(schedulesAt(h.db, h.lab.now)[0]!.doneTo).toBeGreaterThan(h.lab.now - 24 * HOUR);
	});
});
