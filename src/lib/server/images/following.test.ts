import { describe, expect, test } from 'vitest';
import type { Estate } from '$lib/core/estate/schema';
import { WILL_TAKE } from '$lib/core/images/follow';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { all, one } from '../db';
import { uniform } from '../simulator/random';
import { Harness, testEstate } from '../testing/harness';
import { followingAt, moveOf, whoTakes, whyOnVersion } from './following';

const versions = (h: Harness) =>
	new Map(
		all<{ name: string; version: string }>(
			h.db,
			'SELECT m.name, pl.version FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = 9007199254740991'
		).map((m) => [m.name, m.version])
	);

/** Pools that follow the newest; nobody works by pattern, so that only those whom a test signs in are there. */
const following = (change: (estate: Estate) => void = () => {}) =>
	testEstate('e2e/small.yaml', (e) => {
		for (const p of e.pools) p.follows = { takes: 'newest' };
		for (const p of e.directory.people) p.pattern = 'none';
		e.lab.failure = 0;
		for (const s of e.sites) for (const l of s.links) l.mbit = 1000;
		change(e);
	});

describe('a release', () => {
	test('is taken by every machine that its plan names, and by no other', async () => {
		const h = await Harness.of(following());
		await h.live(5 * MINUTE);
		const plan = await h.draft('image.hold', { line: 'desk', number: '1.1.0', held: false });
		expect(plan.effects.machines.map((m) => m.how)).toEqual(Array(11).fill('takes 1.1.0'));
		await h.finish(await h.commit(plan.id));
		await h.live(3 * HOUR, 30_000);
		expect([...new Set(versions(h).values())]).toEqual(['1.1.0']);
		expect(all(h.db, 'SELECT 1 FROM moves WHERE error IS NULL AND ended IS NOT NULL')).toHaveLength(11);
		expect(whyOnVersion(h.db, 'quay-01', h.lab.now, new Set())!.facts.map((f) => f.words)).toEqual([
			'its pool follows newest',
			'it is on 1.1.0 already',
			'it went from 1.0.0 to 1.1.0'
		]);
	});

	test('waits for the last sign-out, and never ends a session', async () => {
		const h = await Harness.of(following());
		await h.live(20 * MINUTE);
		const id = h.lab.apply({
			kind: 'connect',
			login: 'anna',
			publication: 'desk',
			secondFactor: true,
			key: 'a'
		}) as number;
		await h.live(10 * MINUTE);
		const { machine, session } = h.lab.world.connections.get(id)!;
		expect(session).not.toBeNull();
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		await h.live(HOUR, 20_000);
		expect(h.lab.world.sessions.has(session!)).toBe(true);
		expect(versions(h).get(machine!)).toBe('1.0.0');
		const f = followingAt(h.db, h.lab.now);
		expect(
			moveOf(
				f,
				f.machines.find((m) => m.name === machine)!
			).value.reason
		).toBe('in use');
		void h.server.providers.agent.signOut(session!, 'test', 'out');
		await h.live(2 * HOUR, 20_000);
		expect(versions(h).get(machine!)).toBe('1.1.0');
	});

	test('is not taken where the site does not have it, which is said', async () => {
		const h = await Harness.of(following());
		h.lab.world.images.stores.get('isle')!.whole.delete('desk/1.1.0');
		await h.live(5 * MINUTE);
		const plan = await h.draft('image.hold', { line: 'desk', number: '1.1.0', held: false });
		expect(plan.effects.machines).toHaveLength(8);
		expect(plan.reasons.map((r) => r.words).join()).toMatch(
			/3 machines do not: .* does not have desk 1\.1\.0 yet: ship it there/
		);
	});

	test('that fails twice on a machine leaves it alone, and Today says so', async () => {
		const h = await Harness.of(following());
		await h.live(5 * MINUTE);
		h.lab.world.machines.get('own-01')!.line = 'gone';
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		await h.live(HOUR, 20_000);
		expect(
			one(
				h.db,
				`SELECT count(*) AS n FROM moves mv JOIN machines m ON m.id = mv.machine_id WHERE m.name = 'own-01' AND error IS NOT NULL`
			)
		).toEqual({ n: 2 });
		const group = whoTakes(followingAt(h.db, h.lab.now), 'desk', '1.1.0').find((g) => g.reason === 'failed twice')!;
		expect(group.machines.map((m) => m.name)).toEqual(['own-01']);
		const { needsAt } = await import('../house/needs');
		const { parseScope } = await import('$lib/core/scope/scope');
		expect(needsAt(h.db, parseScope('').scope, h.lab.now).needs.map((n) => n.title)).toContain(
			'1 machine failed to take desk 1.1.0 twice'
		);
	});

	test('that failed twice is tried again when somebody says so, and then taken', async () => {
		const h = await Harness.of(following());
		await h.live(5 * MINUTE);
		expect((await h.draft('image.try-again', { line: 'desk', number: '1.1.0' })).blocks[0]!.words).toBe(
			'no machine of the line has failed to take it twice'
		);
		const machine = h.lab.world.machines.get('own-01')!;
		machine.line = 'gone';
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		await h.live(HOUR, 20_000);
		machine.line = 'desk';
		await h.live(HOUR, 20_000);
		expect(versions(h).get('own-01')).toBe('1.0.0');
		const { needsAt } = await import('../house/needs');
		const { parseScope } = await import('$lib/core/scope/scope');
		const needs = () =>
			needsAt(h.db, parseScope('').scope, h.lab.now).needs.filter((n) => n.title.includes('failed to take'));
		const { plan } = needs()[0]!;
		expect(plan).toMatchObject({ kind: 'image.try-again', input: { line: 'desk', number: '1.1.0' } });
		expect((await h.draft(plan!.kind, plan!.input)).effects.machines.map((m) => m.name)).toEqual(['own-01']);
		expect((await h.carryOut(plan!.kind, plan!.input)).state).toBe('done');
		expect(needs()).toEqual([]);
		await h.live(HOUR, 20_000);
		expect(versions(h).get('own-01')).toBe('1.1.0');
	});

	test('machines of other lines are counted as such, and a machine that a sheet starts from stays', async () => {
		const h = await Harness.of(following());
		await h.live(5 * MINUTE);
		const sheet = one<{ body: string }>(h.db, `SELECT body FROM sheets WHERE line_id = 'desk'`)!;
		const body = JSON.parse(sheet.body) as { steps: { kind: string; with: unknown }[] };
		body.steps = [
			{ kind: 'source', with: { from: 'machine', machine: 'quay-01' } },
			...body.steps.filter((s) => s.kind !== 'source')
		];
		h.db.prepare(`UPDATE sheets SET body = ? WHERE line_id = 'desk'`).run(JSON.stringify(body));
		h.db
			.prepare(
				`UPDATE pools SET line_id = (SELECT id FROM lines WHERE id <> 'desk') WHERE id = 'isle' AND EXISTS (SELECT 1 FROM lines WHERE id <> 'desk')`
			)
			.run();
		const groups = whoTakes(followingAt(h.db, h.lab.now), 'desk', '1.1.0');
		const of = (reason: string) => groups.find((g) => g.reason === reason)?.machines.map((m) => m.name) ?? [];
		expect(of('reference machine')).toEqual(['quay-01']);
		const isle = all<{ name: string }>(h.db, `SELECT name FROM machines WHERE pool_id = 'isle' ORDER BY name`).map(
			(m) => m.name
		);
		const moved = one<{ n: number }>(h.db, `SELECT count(*) AS n FROM lines`)!.n > 1;
		expect(of('other line')).toEqual(moved ? isle : []);
		expect(groups.reduce((n, g) => n + g.machines.length, 0)).toBe(followingAt(h.db, h.lab.now).machines.length);
	});

	test('one machine, or those of some pools, are asked about alone, and answer as among all', async () => {
		const h = await Harness.of(following());
		await h.live(5 * MINUTE);
		const whole = followingAt(h.db, h.lab.now);
		for (const m of whole.machines) {
			const alone = followingAt(h.db, h.lab.now, new Set(), {}, { machine: m.name });
			expect(alone.machines).toHaveLength(1);
			expect(moveOf(alone, alone.machines[0]!)).toEqual(moveOf(whole, m));
		}
		for (const pools of [['quay'], ['isle', 'own'], []])
			expect(followingAt(h.db, h.lab.now, new Set(), {}, { pools }).machines.map((m) => m.name)).toEqual(
				whole.machines.filter((m) => pools.includes(m.pool)).map((m) => m.name)
			);
		expect(followingAt(h.db, h.lab.now, new Set(), {}, { machine: 'moon' }).machines).toEqual([]);
		expect(whyOnVersion(h.db, 'moon', h.lab.now, new Set())).toBeNull();
	});

	test('a process that dies in the middle goes on where it was', async () => {
		const h = await Harness.of(following());
		await h.live(5 * MINUTE);
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		await h.live(2 * MINUTE, 10_000);
		expect(all(h.db, 'SELECT 1 FROM moves WHERE ended IS NULL').length).toBeGreaterThan(0);
		h.lockstep.restart();
		await h.live(3 * HOUR, 20_000);
		expect(all(h.db, 'SELECT 1 FROM moves WHERE ended IS NULL')).toEqual([]);
		expect([...new Set(versions(h).values())]).toEqual(['1.1.0']);
	});
});

describe('a follow rule', () => {
	test('of one machine differs from its pool, and goes back to it', async () => {
		const h = await Harness.of(following());
		await h.live(5 * MINUTE);
		const plan = await h.draft('image.follow', { machine: 'quay-02', rule: 'exactly 1.1.0' });
		expect(plan.effects.machines).toEqual([{ kind: 'machine', id: 'quay-02', name: 'quay-02', how: 'takes 1.1.0' }]);
		await h.finish(await h.commit(plan.id));
		await h.live(20 * MINUTE, 20_000);
		expect(versions(h).get('quay-02')).toBe('1.1.0');
		await h.carryOut('image.follow', { machine: 'quay-02', rule: null });
		const f = followingAt(h.db, h.lab.now);
		// Its pool follows the newest that is released, which is older: it does not go back by itself.
		expect(
			moveOf(
				f,
				f.machines.find((m) => m.name === 'quay-02')!
			).value.reason
		).toBe('nothing newer');
	});
	test.each([
		[{ pool: 'quay', rule: 'the best' }, 'rule'],
		[{ pool: 'quay', rule: 'exactly 7.7.7' }, 'rule'],
		[{ pool: 'moon', rule: 'newest' }, 'pool'],
		[{ machine: 'moon-01', rule: 'newest' }, 'machine'],
		[{ rule: 'newest' }, 'pool'],
		[{ pool: 'quay', rule: null }, 'rule'],
		[{ pool: 'quay', rule: 'newest', takesAt: { from: 5 } }, 'takesAt']
	])('%j is refused beside %s', async (input, field) => {
		const h = await Harness.of(following());
		await expect(h.draft('image.follow', input)).rejects.toMatchObject({ problems: [{ field }] });
	});
	test('is undone by the rule before', async () => {
		const h = await Harness.of(following());
		await h.carryOut('image.follow', { pool: 'quay', rule: 'newest 1.0.x', takesAt: 'next start' });
		const plan = await h.draft('image.follow', { pool: 'quay', rule: 'nothing' });
		expect(plan.undo).toEqual({
			kind: 'image.follow',
			input: { pool: 'quay', rule: 'newest 1.0.x', takesAt: 'next start' }
		});
		expect(
			(await h.draft('image.follow', { pool: 'quay', rule: 'newest 1.0.x', takesAt: 'next start' })).blocks[0]!.words
		).toBe('it does already');
	});
});

describe('what a plan says is what happens', () => {
	/** An estate of random rules, versions, stores and people, small enough to live through hundreds of times. */
	function randomEstate(seed: number): Estate {
		const draw = (n: number, ...what: number[]) => Math.floor(uniform(seed, ...what) * n);
		return following((e) => {
			e.lab.seed = seed + 1;
			const line = e.image_lines[0]!;
			line.versions = Array.from({ length: 3 + draw(2, 1) }, (_v, i) => ({
				...line.versions[0]!,
				number: `1.${i}.${draw(3, 2, i)}`,
				held: i === 2 || uniform(seed, 3, i) < 0.25
			}));
			for (const [i, p] of e.pools.entries()) {
				p.version = line.versions[draw(2, 4, i)]!.number;
				const other = line.versions[draw(line.versions.length, 5, i)]!.number;
				p.follows = [
					{ takes: 'newest' as const },
					{ takes: 'newest' as const },
					{ takes: 'range' as const, range: `1.${draw(4, 6, i)}.x` },
					{ takes: 'exactly' as const, number: other },
					{ takes: 'nothing' as const }
				][draw(5, 7, i)]!;
				p.takes_at = uniform(seed, 8, i) < 0.4 ? 'next start' : 'next sign-out';
				p.count = 2 + draw(3, 9, i);
				p.policy.least = draw(2, 10, i);
				p.policy.most = p.count;
				p.policy.headroom_in = draw(3, 11, i);
			}
		});
	}

	test('over hundreds of random estates', { timeout: 600_000 }, async () => {
		let took = 0;
		let stayed = 0;
		for (let seed = 1; seed <= 240; seed++) {
			const estate = randomEstate(seed);
			const h = await Harness.of(estate);
			await h.live(3 * MINUTE, 30_000);
			for (const [i, login] of ['anna', 'bo', 'eve'].entries())
				if (uniform(seed, 20, i) < 0.5)
					h.lab.apply({
						kind: 'connect',
						login,
						publication: login === 'eve' ? 'own' : 'desk',
						secondFactor: true,
						key: login
					});
			await h.live(6 * MINUTE, 30_000);
			if (uniform(seed, 21) < 0.3) h.lab.world.images.stores.get('isle')!.whole.clear();
			const { learnStores } = await import('./stores');
			await learnStores(h.ctx);
			// What is due by the rules as they are has been done before anything is asked.
			await h.live(20 * MINUTE, 30_000);

			const number = estate.image_lines[0]!.versions[2]!.number;
			const before = versions(h);
			const plan = await h.draft('image.hold', { line: 'desk', number, held: false });
			const said = new Map(plan.effects.machines.map((m) => [m.id, m.how]));
			await h.finish(await h.commit(plan.id));
			await h.live(6 * MINUTE, 30_000);
			const f = followingAt(h.db, h.lab.now);
			for (const m of f.machines) {
				const { reason } = moveOf(f, m).value;
				if (said.has(m.name)) {
					// Named by the plan: it has it, or is still to take it for a reason that ends by itself.
					const has = m.version === number && said.get(m.name) === `takes ${number}`;
					expect(has || WILL_TAKE.has(reason), `estate ${seed}: ${m.name} is on ${m.version}: ${reason}`).toBe(true);
					took += has ? 1 : 0;
				} else if (m.version !== before.get(m.name)) {
					// Not named by the plan: what it takes, it took by the rules as they were.
					expect(m.version, `estate ${seed}: ${m.name}`).not.toBe(number);
				} else stayed++;
			}
			h.engine.stop();
			h.db.close();
		}
		expect(took).toBeGreaterThan(300);
		expect(stayed).toBeGreaterThan(300);
	});
});
