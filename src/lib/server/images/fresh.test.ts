import { describe, expect, test } from 'vitest';
import { GB, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one } from '../db';
import { Harness, testEstate } from '../testing/harness';

const estate = () =>
	testEstate('e2e/small.yaml', (e) => {
		e.lab.failure = 0;
		for (const p of e.directory.people) p.pattern = 'none';
		for (const s of e.sites) for (const l of s.links) l.mbit = 1000;
	});
const lives = (h: Harness, pool: string) =>
	[...h.lab.world.machines.values()].filter((m) => m.pool === pool).map((m) => m.life);
async function withSomebody(): Promise<{ h: Harness; session: number; machine: string }> {
	const h = await Harness.of(estate());
	await h.live(15 * MINUTE);
	const id = h.lab.apply({
		kind: 'connect',
		login: 'anna',
		publication: 'desk',
		secondFactor: true,
		key: 'a'
	}) as number;
	await h.live(10 * MINUTE);
	const { session, machine } = h.lab.world.connections.get(id)!;
	return { h, session: session!, machine: machine! };
}

describe('a pool kept fresh', () => {
	test('reset at once, as after malware: every machine anew, sessions ended, each machine once', async () => {
		const { h, session } = await withSomebody();
		const plan = await h.draft('machines.reset', { pool: 'quay', people: 'now' });
		expect(plan.effects.sessionsEnded).toHaveLength(1);
		expect(plan.warnings[0]!.words).toMatch(/1 session ends at once/);
		const job = await h.finish(await h.commit(plan.id));
		expect(job).toMatchObject({ state: 'done', result: { done: 6, failed: 0 } });
		expect(h.lab.world.sessions.has(session)).toBe(false);
		expect(all(h.db, 'SELECT 1 FROM job_items WHERE job_id = ?', [job.id])).toHaveLength(6);
		expect(job.ended! - job.began!).toBeLessThan(10 * MINUTE);
	});
	test('as people leave: nobody is signed out, and the machine in use comes last', async () => {
		const { h, session, machine } = await withSomebody();
		const job = await h.commit((await h.draft('machines.reset', { pool: 'quay' })).id);
		await h.live(HOUR, 30_000);
		expect(h.lab.world.sessions.has(session)).toBe(true);
		expect(all<{ item: string }>(h.db, 'SELECT item FROM job_items').map((i) => i.item)).not.toContain(machine);
		void h.server.providers.agent.signOut(session, 'test', 'out');
		await h.live(4 * HOUR, MINUTE);
		expect((await h.finish(job)).state).toBe('done');
		expect(lives(h, 'isle').every((l) => l >= 0)).toBe(true);
	});
	test('takes hours, and the pool’s policy goes on meanwhile', async () => {
		const { h } = await withSomebody();
		await h.commit((await h.draft('machines.reset', { pool: 'quay' })).id);
		await h.live(30 * MINUTE, 30_000);
		const { machinesInJobs, machinesNotToMove } = await import('../pools/power');
		expect([...machinesInJobs(h.ctx)].filter((m) => m.startsWith('quay'))).toEqual([]);
		expect([...machinesNotToMove(h.ctx)].filter((m) => m.startsWith('quay'))).toHaveLength(6);
		expect((await h.draft('machines.reset', { pool: 'quay' })).blocks[0]!.words).toMatch(
			/job 1 is working on machine quay-01/
		);
	});
	test('with a deadline asks, then signs out', async () => {
		const { h, session } = await withSomebody();
		await h.commit((await h.draft('machines.reset', { pool: 'quay', people: 'ask', deadline: 30 * MINUTE })).id);
		await h.live(20 * MINUTE, MINUTE);
		expect(h.lab.world.sessions.has(session)).toBe(true);
		await h.live(30 * MINUTE, MINUTE);
		expect(h.lab.world.sessions.has(session)).toBe(false);
	});
	test('where every seat that is up is needed, a machine that is done stands in: capacity holds, and nobody waits for the evening', async () => {
		const { h } = await withSomebody();
		const seats = () =>
			[...h.lab.world.machines.values()].filter(
				(m) => m.pool === 'quay' && (m.state === 'ready' || m.state === 'in use')
			).length * 2;
		const before = seats();
		expect(before).toBeLessThan(12);
		const job = await h.commit((await h.draft('machines.reset', { pool: 'quay', people: 'ask', deadline: 0 })).id);
		let least = Number.POSITIVE_INFINITY;
		const row = () => one<{ ended: number | null }>(h.db, 'SELECT ended FROM jobs WHERE id = ?', [job])!;
		for (let i = 0; i < 240 && row().ended === null; i++) {
			await h.live(MINUTE, 15_000);
			least = Math.min(least, seats());
		}
		expect(row().ended).not.toBe(null);
		expect(all(h.db, 'SELECT 1 FROM job_items WHERE job_id = ?', [job])).toHaveLength(6);
		// The headroom of the hour is three seats.
		expect(least).toBeGreaterThanOrEqual(3);
		const why = all<{ facts: string }>(h.db, `SELECT facts FROM power_actions WHERE action = 'start'`).map(
			(a) => a.facts
		);
		expect(why.join()).toMatch(/stands in while others of its pool are taken out of use/);
	});
	test('moved to another version once; what the pool follows stays', async () => {
		const { h } = await withSomebody();
		const plan = await h.draft('machines.move', { pool: 'quay', number: '1.1.0', people: 'now' });
		expect(plan.effects.machines.map((m) => m.how)).toEqual(Array(6).fill('moved to 1.1.0'));
		expect(plan.undo).toMatchObject({ kind: 'machines.move', input: { pool: 'quay', number: '1.0.0' } });
		await h.finish(await h.commit(plan.id));
		await h.live(MINUTE);
		expect(one(h.db, `SELECT count(*) AS n FROM machine_spots WHERE version = '1.1.0'`)).toEqual({ n: 6 });
		// The pool follows exactly 1.0.0: it is followed again.
		await h.live(4 * HOUR, MINUTE);
		expect(
			one(h.db, `SELECT count(*) AS n FROM machine_spots WHERE version = '1.1.0' AND until = 9007199254740991`)
		).toEqual({ n: 0 });
	});
	test.each([
		['machines.reset', { pool: 'moon' }, 'pool'],
		['machines.reset', { pool: 'quay', atOnce: 0 }, 'atOnce'],
		['machines.reset', { pool: 'quay', people: 'never' }, 'people'],
		['machines.move', { pool: 'quay', number: '9.9.9' }, 'number'],
		['volumes.even', { site: 'moon' }, 'site'],
		['volumes.even', { site: 'quay', share: 5 }, 'share']
	])('%s with %j is refused beside %s', async (kind, input, field) => {
		const h = await Harness.of(estate());
		await expect(h.draft(kind, input)).rejects.toMatchObject({ problems: [expect.objectContaining({ field })] });
	});
});

describe('volumes evened out', () => {
	const twoVolumes = (second = 2000 * GB) => {
		const e = estate();
		const quay = e.volumes.find((v) => v.site === 'quay')!;
		quay.size = 500 * GB;
		e.volumes.push({ ...quay, id: 'quay-v2', size: second });
		return e;
	};
	test('the fewest bytes that bring every volume under the share, over disks that nobody is on', async () => {
		const h = await Harness.of(twoVolumes());
		await h.live(5 * MINUTE);
		// All machines of the pool are put onto the small volume first.
		for (const m of [...h.lab.world.machines.values()].filter((x) => x.pool === 'quay'))
			void h.server.providers.compute.moveDisk(m.name, 'quay-v1', `pre ${m.name}`);
		await h.live(30 * MINUTE, 30_000);
		const plan = await h.draft('volumes.even', { site: 'quay', share: 50 });
		expect(plan.blocks).toEqual([]);
		expect(plan.effects.bytes).toBe(50 * GB);
		const job = await h.finish(await h.commit(plan.id));
		expect(job.state).toBe('done');
		const after = (await h.server.providers.compute.volumes()).find((v) => v.id === 'quay-v1')!;
		expect(after.used / after.size).toBeLessThanOrEqual(0.5);
		expect((await h.draft('volumes.even', { site: 'quay', share: 50 })).blocks[0]!.words).toBe(
			'nothing has to be moved'
		);
	});
	test('over disks that somebody is on: waits, asks first, or signs out at once, as was chosen', async () => {
		const h = await Harness.of(twoVolumes(6000 * GB));
		await h.live(5 * MINUTE);
		for (const m of [...h.lab.world.machines.values()].filter((x) => x.pool === 'quay'))
			void h.server.providers.compute.moveDisk(m.name, 'quay-v1', `pre ${m.name}`);
		await h.live(30 * MINUTE, 30_000);
		const sessions: number[] = [];
		for (const login of ['anna', 'bo', 'cleo']) {
			const id = h.lab.apply({ kind: 'connect', login, publication: 'desk', secondFactor: true, key: login }) as number;
			await h.live(10 * MINUTE, MINUTE);
			const session = h.lab.world.connections.get(id)?.session;
			if (session) sessions.push(session);
		}
		const even = { site: 'quay', share: 10 };
		const wait = await h.draft('volumes.even', even);
		const now = await h.draft('volumes.even', { ...even, people: 'now', atOnce: 6 });
		expect(wait.effects).toMatchObject({ people: [], sessionsEnded: [] });
		expect(wait.reasons.map((r) => r.words).join()).toMatch(/each machine waits for its last sign-out/);
		expect(now.effects.sessionsEnded.length).toBeGreaterThan(0);
		expect(now.effects.duration!.middle).toBeLessThan(wait.effects.duration!.middle);
		expect(now.warnings[0]!.words).toMatch(/ends? at once, and what is not saved/);
		const job = await h.finish(await h.commit(now.id));
		expect(job).toMatchObject({ state: 'done', result: { failed: 0, done: now.effects.machines.length } });
		const named = new Set(now.effects.sessionsEnded.map((s) => Number(s.id)));
		// Whoever was named was signed out, and nobody else.
		for (const id of sessions) expect(h.lab.world.sessions.has(id)).toBe(!named.has(id));
		await expect(h.draft('volumes.even', { ...even, atOnce: 0 })).rejects.toThrow('At least 1.');
	});
	test('is refused with the reason where there is no room', async () => {
		const h = await Harness.of(estate());
		await h.live(5 * MINUTE);
		h.lab.apply({ kind: 'fault', fault: 'volume-full', target: 'quay-v1', value: 0.95 });
		expect((await h.draft('volumes.even', { site: 'quay', share: 80 })).blocks[0]!.words).toMatch(
			/more are in use than 80 % of all volumes together/
		);
	});
});
