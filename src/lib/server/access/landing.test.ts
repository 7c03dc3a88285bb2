import { beforeAll, describe, expect, test } from 'vitest';
import { HOUR } from '$lib/core/time/units';
import { one } from '../db';
import { Harness, testEstate } from '../testing/harness';
import { landingOf } from './landing';

let h: Harness;
beforeAll(async () => {
	h = await Harness.of(testEstate());
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
		const { value, facts } = landingOf(h.db, 'anna', 'desk', h.lab.now)!;
		expect(facts[0]).toMatchObject({ words: expect.stringMatching(/stands where they sit$/), side: 'for' });
		for (const p of value.pools)
			expect(facts.some((f) => f.about?.id === p.id && / free in /.test(f.words))).toBe(true);
	});
	test('of nobody, or of nothing that is published, is none', () => {
		expect(landingOf(h.db, 'zoe', 'desk', h.lab.now)).toBeNull();
		expect(landingOf(h.db, 'anna', 'moon', h.lab.now)).toBeNull();
	});
});
