import { describe, expect, test } from 'vitest';
import type { Estate } from '$lib/core/estate/schema';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one } from '../db';
import { jobById, logOf } from '../jobs';
import { Harness, testEstate } from '../testing/harness';
import { followingAt, moveOf, rulesAt } from './following';
import { machinesOfRollout, rolloutsAt } from './rollouts';

/** Pools that follow the newest; 1.1.0 is everywhere and held. Forty people come to work at the quay. */
const estate = (change: (e: Estate) => void = () => {}) =>
	testEstate('e2e/small.yaml', (e) => {
		e.lab.failure = 0;
		for (const p of e.pools) p.follows = { takes: 'newest' };
		for (const s of e.sites) for (const l of s.links) l.mbit = 1000;
		const anna = e.directory.people[0]!;
		e.directory.people = Array.from({ length: 12 }, (_v, i) => ({ ...anna, login: `p${i}`, name: `Person ${i}` }));
		e.grants = e.grants.filter((g) => g.team);
		change(e);
	});
const input = {
	line: 'desk',
	number: '1.1.0',
	pools: ['quay'],
	waves: [
		{ by: 'machines', machines: ['quay-01'] },
		{ by: 'share', percent: 100 }
	],
	pause: HOUR,
	longest: 30 * HOUR,
	least: 3
};
const versions = (h: Harness, pool = 'quay') =>
	all<{ version: string }>(
		h.db,
		`SELECT pl.version FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = 9007199254740991 WHERE m.pool_id = ? ORDER BY m.name`,
		[pool]
	).map((r) => r.version);
async function until(h: Harness, what: () => boolean, most = 6 * DAY): Promise<void> {
	const end = h.lab.now + most;
	while (!what()) {
		if (h.lab.now > end) throw new Error('it does not come about');
		await h.live(10 * MINUTE, 2 * MINUTE);
	}
}

describe('a rollout', () => {
	test('goes wave by wave, and lets the pool follow the version at the end', async () => {
		const h = await Harness.of(estate());
		await h.live(2 * HOUR, 2 * MINUTE);
		const plan = await h.draft('image.rollout', {
			...input,
			waves: [
				{ by: 'share', percent: 50 },
				{ by: 'share', percent: 100 }
			],
			pause: 26 * HOUR
		});
		expect(plan.blocks).toEqual([]);
		expect(plan.title).toBe('Roll desk 1.1.0 out to 6 machines in 2 waves');
		expect(plan.effects.machines.map((m) => m.how)).toEqual([
			'wave 1',
			'wave 1',
			'wave 1',
			'wave 2',
			'wave 2',
			'wave 2'
		]);
		expect(plan.reasons.map((r) => r.words)).toContain('after the last wave its pools follow exactly 1.1.0');
		const job = await h.commit(plan.id);
		await until(h, () => rolloutsAt(h.db, h.lab.now)[0]?.wave === 1);
		expect(rolloutsAt(h.db, h.lab.now)[0]!.gates.map((g) => g.verdict)).toEqual(['passes']);
		expect(versions(h).filter((v) => v === '1.1.0').length).toBeGreaterThanOrEqual(3);
		await until(h, () => jobById(h.db, job, h.lab.now)!.ended !== null);
		expect(jobById(h.db, job, h.lab.now)).toMatchObject({ state: 'done', result: { rollout: 'done' } });
		expect(versions(h)).toEqual(Array(6).fill('1.1.0'));
		expect(versions(h, 'isle')).toEqual(Array(3).fill('1.0.0'));
		const rules = rulesAt(h.db, h.lab.now);
		expect(rules.get('pool/quay')!.rule).toEqual({ takes: 'exactly', number: '1.1.0' });
		expect([...rules.keys()].filter((k) => k.startsWith('machine/'))).toEqual([]);
		expect(all(h.db, `SELECT 1 FROM sessions WHERE ended_by LIKE '%new version%'`)).toEqual([]);
	});

	test('says of each wave that is asked for what it comes to, and of one without a machine that there is no such', async () => {
		const h = await Harness.of(estate());
		await h.live(MINUTE);
		const plan = await h.draft('image.rollout', {
			...input,
			waves: [
				{ by: 'share', percent: 50 },
				{ by: 'pools', pools: ['isle'] },
				{ by: 'share', percent: 100 }
			]
		});
		const said = plan.reasons.filter((r) => r.source === 'waves').map((r) => r.words);
		expect(said).toEqual([
			expect.stringMatching(/^wave 1, 50 %: 3 machines/),
			expect.stringMatching(/: no machine is left for it/),
			expect.stringMatching(/^wave 2, .*: 3 machines/)
		]);
	});

	test('whose pools are all that would take it is released at its end', async () => {
		const h = await Harness.of(estate());
		await h.live(MINUTE);
		const plan = await h.draft('image.rollout', { ...input, pools: undefined, waves: undefined });
		expect(plan.reasons.map((r) => r.words).join()).toMatch(/after the last wave it is released/);
		expect(plan.effects.machines).toHaveLength(11);
	});

	test('whose gate fails goes back by itself, and its version is held', async () => {
		const h = await Harness.of(
			estate((e) => {
				// Slow for everybody on it: sign-ins over four times the target.
				e.image_lines[0]!.versions[1]!.slow = { phase: 'drives', part: 'drive T: from nowhere', by: 150_000 };
			})
		);
		await h.live(30 * HOUR, 2 * MINUTE);
		const job = await h.commit(
			(
				await h.draft('image.rollout', {
					...input,
					waves: [
						{ by: 'share', percent: 50 },
						{ by: 'share', percent: 100 }
					],
					pause: 26 * HOUR
				})
			).id
		);
		await until(h, () => jobById(h.db, job, h.lab.now)!.ended !== null);
		expect(jobById(h.db, job, h.lab.now)).toMatchObject({ state: 'done', result: { rollout: 'returned' } });
		expect(versions(h)).toEqual(Array(6).fill('1.0.0'));
		const [r] = rolloutsAt(h.db, h.lab.now);
		expect(r).toMatchObject({ state: 'returned', wave: 0 });
		expect(r!.gates.at(-1)!.verdict).toBe('fails');
		expect(
			r!.gates
				.at(-1)!
				.facts.map((f) => f.words)
				.join()
		).toMatch(/sign-in Apdex 0\.\d\d of \d+ sign-ins; before .*: under 0\.85, and clearly worse/);
		expect(
			one(h.db, `SELECT count(*) AS n FROM version_holds WHERE number = '1.1.0' AND until = 9007199254740991`)
		).toEqual({ n: 1 });
		expect(logOf(h.db, job).map((l) => l.line)).toContain('the gate fails: the wave goes back');
	});

	test('with too few numbers waits, then asks; and does what is decided', async () => {
		const h = await Harness.of(
			estate((e) => {
				for (const p of e.directory.people) p.pattern = 'none';
			})
		);
		await h.live(MINUTE);
		const job = await h.commit((await h.draft('image.rollout', { ...input, longest: 3 * HOUR })).id);
		await until(h, () => rolloutsAt(h.db, h.lab.now)[0]?.state === 'paused');
		expect(rolloutsAt(h.db, h.lab.now)[0]!.gates[0]).toMatchObject({ verdict: 'too few' });
		const busy = await h.draft('image.rollout', input);
		expect(busy.blocks.map((b) => b.words).join()).toMatch(/one rollout at a time/);
		await h.finish(await h.commit((await h.draft('rollout.decide', { rollout: 1, decision: 'go on' })).id));
		await until(
			h,
			() => rolloutsAt(h.db, h.lab.now)[0]!.wave === 1 && rolloutsAt(h.db, h.lab.now)[0]!.state === 'paused'
		);
		expect(versions(h)).toEqual(Array(6).fill('1.1.0'));
		await h.finish(await h.commit((await h.draft('rollout.decide', { rollout: 1, decision: 'stop' })).id));
		await until(h, () => jobById(h.db, job, h.lab.now)!.ended !== null);
		expect(rolloutsAt(h.db, h.lab.now)[0]!.state).toBe('stopped');
		expect((await h.draft('rollout.decide', { rollout: 1, decision: 'go on' })).blocks[0]!.words).toBe(
			'it is stopped, not paused'
		);
	});

	test('brought back in an emergency signs people out, returns every machine, and ends the rollout', async () => {
		const h = await Harness.of(estate());
		await h.live(2 * HOUR, 2 * MINUTE);
		const job = await h.commit((await h.draft('image.rollout', { ...input, pause: 20 * HOUR })).id);
		await until(h, () => machinesOfRollout(h.db, 1)[0]?.state === 'moved');
		const back = await h.draft('rollout.return', { rollout: 1 });
		expect(back.effects.machines).toEqual([{ kind: 'machine', id: 'quay-01', name: 'quay-01', how: 'back to 1.0.0' }]);
		expect((await h.finish(await h.commit(back.id))).state).toBe('done');
		expect(jobById(h.db, job, h.lab.now)!.ended).not.toBeNull();
		expect(versions(h)).toEqual(Array(6).fill('1.0.0'));
		expect(rolloutsAt(h.db, h.lab.now)[0]!.state).toBe('returned');
		const f = followingAt(h.db, h.lab.now);
		expect(f.machines.filter((m) => m.pool === 'quay').every((m) => moveOf(f, m).value.reason === 'has it')).toBe(true);
	});

	test('an emergency is not held by what the hour needs ready', async () => {
		const h = await Harness.of(estate());
		await h.live(2 * HOUR, 2 * MINUTE);
		await h.commit((await h.draft('image.rollout', { ...input, pause: 20 * HOUR })).id);
		await until(h, () => machinesOfRollout(h.db, 1)[0]?.state === 'moved');
		// From now on every machine has to be ready: none could be spared for a change that may wait.
		await h.carryOut('policy.set', { pool: 'quay', headroomIn: 500, headroomOut: 500, most: 6 });
		await h.live(10 * MINUTE, MINUTE);
		const began = h.lab.now;
		const job = await h.finish(await h.commit((await h.draft('rollout.return', { rollout: 1 })).id));
		expect(job.state).toBe('done');
		expect(h.lab.now - began).toBeLessThan(HOUR);
		expect(versions(h)).toEqual(Array(6).fill('1.0.0'));
	});

	test('with a deadline asks people, then signs them out', async () => {
		const h = await Harness.of(
			estate((e) => {
				for (const p of e.directory.people) p.pattern = 'none';
			})
		);
		await h.live(10 * MINUTE);
		const id = h.lab.apply({
			kind: 'connect',
			login: 'p1',
			publication: 'desk',
			secondFactor: true,
			key: 'a'
		}) as number;
		await h.live(10 * MINUTE);
		const { machine } = h.lab.world.connections.get(id)!;
		const plan = await h.draft('image.rollout', {
			...input,
			waves: [{ by: 'machines', machines: [machine!] }],
			people: 'ask',
			deadline: HOUR
		});
		expect(plan.effects.people.map((p) => p.how)).toEqual(['asked to sign out']);
		const job = await h.commit(plan.id);
		await h.live(50 * MINUTE, MINUTE);
		expect(one(h.db, 'SELECT ended_by FROM sessions')).toEqual({ ended_by: null });
		await h.live(40 * MINUTE, MINUTE);
		expect(one(h.db, 'SELECT ended_by FROM sessions')).toEqual({
			ended_by: 'signed out for a new version of the desktop'
		});
		await until(h, () => machinesOfRollout(h.db, 1)[0]!.state === 'moved');
		expect(jobById(h.db, job, h.lab.now)!.state).toBe('running');
	});

	test('within hours only changes machines then', async () => {
		const h = await Harness.of(
			estate((e) => {
				for (const p of e.directory.people) p.pattern = 'none';
			})
		);
		await h.live(MINUTE);
		const zone = one<{ z: string }>(h.db, `SELECT time_zone AS z FROM sites WHERE id = 'quay'`)!.z;
		expect(zone).toBeTruthy();
		await h.commit((await h.draft('image.rollout', { ...input, from: '02:00', until: '05:00' })).id);
		await until(h, () => machinesOfRollout(h.db, 1)[0]?.state === 'moved');
		const { wallTime } = await import('$lib/core/time/zone');
		const { minute } = wallTime(zone, one<{ began: number }>(h.db, 'SELECT began FROM moves')!.began);
		expect(minute).toBeGreaterThanOrEqual(120);
		expect(minute).toBeLessThan(300);
	});

	test.each([
		[{ waves: [{ by: 'share', percent: 0 }] }, 'waves.0'],
		[
			{
				waves: [
					{ by: 'share', percent: 50 },
					{ by: 'share', percent: 20 }
				]
			},
			'waves.1'
		],
		[{ waves: [{ by: 'luck' }] }, 'waves.0.by'],
		[{ pools: ['moon'] }, 'pools'],
		[{ from: 'dusk' }, 'from'],
		[{ apdex: 2 }, 'apdex'],
		[{ number: '8.8.8' }, 'number']
	])('%j is refused beside %s', async (change, field) => {
		const h = await Harness.of(estate());
		await expect(h.draft('image.rollout', { ...input, ...change })).rejects.toMatchObject({
			problems: [expect.objectContaining({ field })]
		});
	});
});
