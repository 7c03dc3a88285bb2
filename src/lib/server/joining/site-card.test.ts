import { sectionOf } from '$lib/core/why/card';
import { beforeEach, describe, expect, test } from 'vitest';
import { SITE_CHECKS } from '$lib/core/network/site-checks';
import { MINUTE } from '$lib/core/time/units';
import { run } from '../db';
import { Harness } from '../testing/harness';
import { cardOf } from '../house/cards';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of();
	await h.live(6 * MINUTE, MINUTE);
});
const card = (id: string, at = h.lab.now, live = true) => cardOf(h.ctx, 'site', id, { at, live });

describe('the card of a site', () => {
	test('says what stands there, how it is reached, and every check in its order', async () => {
		const quay = (await card('quay'))!;
		expect(quay.sub).toBe('office, all 8 checks pass');
		const row = (name: string) => quay.rows.filter((r) => r.name === name).map((r) => r.value);
		expect(row('hosts')).toEqual(['2']);
		expect(row('volumes')).toEqual(['1']);
		expect(row('network')).toEqual(['quay-desks']);
		expect(row('provider')).toEqual(['compute.quay.testbay.example:8443']);
		expect(Number(row('machines')[0])).toBe([...h.lab.world.machines.values()].filter((m) => m.site === 'quay').length);
		// Two are of sites where devices have addresses of their own.
		expect(sectionOf(quay, 'checks')!.checks).toHaveLength(SITE_CHECKS.length - 2);
		expect(sectionOf(quay, 'checks')!.checks.every((c) => c.ok && c.since === null)).toBe(true);
		expect(quay.facts.map((f) => f.words)).toEqual(['all 8 checks pass']);
	});

	test('names a link at both of its ends', async () => {
		const linksOf = async (id: string) => (await card(id))!.rows.filter((r) => r.name === 'link');
		expect(await linksOf('quay')).toEqual([{ name: 'link', value: '10 Mbit/s to isle', card: 'site/isle' }]);
		expect(await linksOf('isle')).toEqual([{ name: 'link', value: '10 Mbit/s to quay', card: 'site/quay' }]);
	});

	test('says what fails, since when, and what helps; as of before, that nothing did', async () => {
		const before = h.lab.now;
		h.lab.apply({ kind: 'fault', fault: 'clock-off', target: 'isle', value: null });
		await h.live(6 * MINUTE, MINUTE);
		const isle = (await card('isle'))!;
		expect(isle.sub).toBe('office, 1 check fails');
		expect(isle.facts[0]).toMatchObject({ words: '1 check fails', side: 'against' });
		expect(isle.facts[1]!.words).toMatch(/^its clock is off: /);
		expect(isle.facts[1]!.at).toBeGreaterThan(before);
		expect(isle.facts[2]!.words).toMatch(/same source as the directory$/);
		expect((await card('isle', before, false))!.sub).toBe('office, all 8 checks pass');
	});

	test('offers to let go only of a site that no pool stood at, and nothing in the past', async () => {
		expect((await card('isle'))!.actions.map((a) => a.kind)).toEqual(['site.holidays', 'note.write']);
		run(h.db, `INSERT INTO sites VALUES ('reef', 'Reef', 'ship', 'UTC', 9, '[]', ?)`, [h.lab.now]);
		const reef = (await card('reef'))!;
		expect(reef.sub).toBe('ship, not looked at yet');
		expect(reef.actions[0]).toEqual({ words: 'Let go of it', kind: 'site.leave', input: { site: 'reef' } });
		expect(reef.actions.map((a) => a.kind)).toEqual(['site.leave', 'site.holidays', 'note.write']);
		expect((await card('reef', h.lab.now, false))!.actions).toEqual([]);
	});

	test('is not there before the site was joined up, nor for a site that is none', async () => {
		run(h.db, `INSERT INTO sites VALUES ('reef', 'Reef', 'ship', 'UTC', 9, '[]', ?)`, [h.lab.now]);
		expect(await card('reef', h.lab.now - 1)).toBeNull();
		expect(await card('moon')).toBeNull();
	});
});
