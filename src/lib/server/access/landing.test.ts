import { beforeAll, describe, expect, test } from 'vitest';
import { HOUR } from '$lib/core/time/units';
import { one } from '../db';
import { Harness, testEstate } from '../testing/harness';
import { landingOf } from './landing';

let h: Harness;
beforeAll(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => e.grants.push({ ...e.grants[1]!, person: undefined, team: 'everybody' }))
	);
	await h.live(4 * HOUR, 20_000);
}, 30_000);

describe('where somebody would land', () => {
	test('is where the broker really put them', async () => {
		for (const [login, publication] of [
			['anna', 'desk'],
			['eve', 'own']
		] as const) {
			const foreseen = landingOf(h.db, login, publication, h.lab.now)!;
			const id = h.lab.apply({
				c: 'connect',
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
			const id = h.lab.apply({ c: 'connect', key: login, login, publication: 'own', secondFactor: true }) as number;
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
