import { beforeAll, describe, expect, test } from 'vitest';
import { HOUR } from '$lib/core/time/units';
import { all, one } from '../db';
import { publicationsAt } from '../publications';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { landingOf } from './landing';

let h: Harness;
beforeAll(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => e.grants.push({ ...e.grants[1]!, person: undefined, team: 'everybody' }))
	);
	await h.live(4 * HOUR, 20_000);
});

describe('where somebody would land', () => {
	test('is where the broker really put them', async () => {
		for (const [login, publication] of [
			['anna', 'desk'],
			['eve', 'own']
		] as const) {
			const foreseen = landingOf(h.db, login, publication, h.lab.now)!;
			const id = h.lab.apply({
				kind: 'connect',
				key: `landing-${login}`,
				login,
				publication,
				secondFactor: true
			}) as number;
			await h.live(HOUR / 6);
			const got = one<{ pool: string; name: string }>(
				h.db,
				`SELECT c.pool_id AS pool, p.name FROM connections c JOIN pools p ON p.id = c.pool_id WHERE c.id = ?`,
				[id]
			)!;
			expect(foreseen.value.pools.map((p) => p.id)).toContain(got.pool);
			expect(foreseen.value.first).toBe(got.name);
		}
	});
	test('says of each pool why it comes there, and how many seats are free', () => {
		const { value, facts } = landingOf(h.db, 'eve', 'desk', h.lab.now)!;
		expect(facts[0]).toMatchObject({ words: expect.stringMatching(/stands where they sit$/), side: 'for' });
		for (const p of value.pools)
			expect(facts.some((f) => f.about?.id === p.id && / free in /.test(f.words))).toBe(true);
	});
	test('is the session that they have open, which is taken up again', () => {
		const { value, facts } = landingOf(h.db, 'eve', 'own', h.lab.now)!;
		expect(value).toMatchObject({ first: 'Own machines', resumes: expect.stringMatching(/^own-0[12]$/) });
		expect(facts[0]!.about).toEqual({ kind: 'machine', id: value.resumes });
	});
	test('is nowhere, once every machine of a personal pool has somebody who keeps it', async () => {
		const connect = async (login: string) => {
			const id = h.lab.apply({ kind: 'connect', key: login, login, publication: 'own', secondFactor: true }) as number;
			await h.live(HOUR / 4);
			return one<{ machine: number | null }>(h.db, 'SELECT machine_id AS machine FROM connections WHERE id = ?', [id])!
				.machine;
		};
		expect(landingOf(h.db, 'bo', 'own', h.lab.now)!.value.first).toBe('Own machines');
		expect(await connect('bo')).not.toBeNull();
		const { value, facts } = landingOf(h.db, 'anna', 'own', h.lab.now)!;
		expect(value).toMatchObject({ first: null, resumes: null });
		expect(facts.at(-1)).toMatchObject({
			words: 'Own machines has no working machine left that nobody keeps',
			side: 'against'
		});
		expect(await connect('anna')).toBeNull();
	});
	test('of nobody, or of nothing that is published, is none', () => {
		expect(landingOf(h.db, 'zoe', 'desk', h.lab.now)).toBeNull();
		expect(landingOf(h.db, 'anna', 'moon', h.lab.now)).toBeNull();
	});
});

describe('what a plan foresees of it', () => {
	test('is how many would find no machine, and so many then find none', async () => {
		const own = await Harness.of(testEstate('e2e/small.yaml', (e) => QUIET(e)));
		await own.live(HOUR);
		const plan = await own.draft('grant.add', { publication: 'own', team: 'everybody', channels: [] });
		const gains = plan.effects.people.filter((p) => p.how === 'gains access').map((p) => p.id);
		expect(gains.length).toBeGreaterThan(2);
		// Two machines, and nobody keeps one.
		const none = gains.length - 2;
		expect(plan.warnings.map((w) => w.words)).toContain(
			`${none} people find no machine: every one is somebody’s, or has failed`
		);
		expect(plan.reasons.filter((f) => / to open it now: /.test(f.words)).map((f) => f.about!.kind)).toContain('site');
		expect((await own.finish(await own.commit(plan.id))).state).toBe('done');
		for (const login of gains)
			own.lab.apply({ kind: 'connect', key: `all-${login}`, login, publication: 'own', secondFactor: true });
		await own.live(HOUR);
		const rows = all<{ found: number }>(
			own.db,
			`SELECT machine_id IS NOT NULL AS found FROM connections c JOIN people p ON p.id = c.person_id
			 WHERE c.publication_id = 'own' AND p.login IN (SELECT value FROM json_each(?))`,
			[JSON.stringify(gains)]
		);
		expect(rows.filter((r) => !r.found)).toHaveLength(none);
		expect(rows).toHaveLength(gains.length);
	});
	test('is nothing where nobody gains it, and where there is a seat for everybody no warning', async () => {
		const again = await h.draft('publication.change', input('desk', ['quay', 'isle']));
		expect(again.reasons.some((f) => /open it now|tried in/.test(f.words))).toBe(false);
		const seats = await h.draft('grant.add', { publication: 'desk', team: 'visitors', channels: [] });
		expect(seats.warnings.some((w) => /no machine/.test(w.words))).toBe(false);
	});
	test('is who is sent elsewhere when other pools serve it', async () => {
		const plan = await h.draft('publication.change', input('desk', ['isle']));
		expect(plan.reasons).toContainEqual(
			expect.objectContaining({
				words: expect.stringMatching(/ at Quay (is|are) tried in Desks Isle first, no longer in Desks Quay$/),
				about: { kind: 'site', id: 'quay', name: 'Quay' }
			})
		);
		// Those on the isle are tried where they were.
		expect(plan.reasons.some((f) => / at Isle .* tried in/.test(f.words))).toBe(false);
	});
});

/** A publication as it is, served by other pools. */
function input(id: string, pools: string[]) {
	const { since: _since, ...p } = publicationsAt(h.db, h.lab.now).find((x) => x.id === id)!;
	return { ...p, pools };
}
