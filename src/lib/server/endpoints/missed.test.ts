import { beforeAll, describe, expect, test } from 'vitest';
import { EVERYTHING } from '$lib/core/scope/scope';
import { DAY, HOUR } from '$lib/core/time/units';
import { all, one, run } from '../db';
import { putAt } from '../db/intervals';
import { cardOf } from '../house/cards';
import { needsAt } from '../house/needs';
import { withDesks } from '../testing/estates';
import { Harness, testEstate } from '../testing/harness';
import { missedDevices } from './missed';

/** Everybody of the Quay has been at their box; Anna's was heard last eight days ago, and she has worked since from something else. */
let h: Harness;
let anna: { person: number; endpoint: number };
beforeAll(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', withDesks));
	await h.live(4 * HOUR, 20_000);
	anna = one(
		h.db,
		`SELECT o.person_id AS person, o.endpoint_id AS endpoint FROM person_endpoints o JOIN people p ON p.id = o.person_id WHERE p.login = 'anna'`
	)!;
});

/** On so many days after the device was heard last she has worked from something else: on each day once, or all on one. */
function worked(endpoint: number, person: number, days: number, apart: number): number {
	const heard = h.lab.now;
	putAt(h.db, 'endpoint_states', { endpoint_id: endpoint, state: 'asleep', person_id: null }, heard);
	const like = all<Record<string, unknown>>(h.db, 'SELECT * FROM connections WHERE session_id IS NOT NULL LIMIT 1')[0]!;
	for (let d = 1; d <= days; d++) {
		const began = heard + Math.round(d * apart);
		const row = { ...like, id: 1_000_000 + began, person_id: person, endpoint_id: null, began, ended: began + 60_000 };
		const columns = Object.keys(row);
		run(
			h.db,
			`INSERT INTO connections(${columns.join(', ')}) VALUES (${columns.map((c) => `@${c}`).join(', ')})`,
			row as never
		);
	}
	return heard;
}

describe('a device that does not call in', () => {
	test('is missed once its person has worked without it on three days, stands on Today and on its card', async () => {
		const heard = worked(anna.endpoint, anna.person, 5, DAY);
		expect(missedDevices(h.db, heard + 2.5 * DAY)).toEqual([]);
		const missed = missedDevices(h.db, heard + 4.5 * DAY);
		expect(missed).toMatchObject([{ id: anna.endpoint, login: 'anna', since: heard, days: 4 }]);
		const need = needsAt(h.db, EVERYTHING, heard + 4.5 * DAY).needs.find((n) => n.key === 'endpoints-missed')!;
		expect(need).toMatchObject({ people: 1, count: 1, unit: 'person', card: `endpoint/${anna.endpoint}` });
		expect(need.facts[0]!.words).toMatch(/has worked on 4 days since, from something else$/);
		const card = (await cardOf(h.ctx, 'endpoint', String(anna.endpoint), {
			at: heard + 4.5 * DAY,
			live: false
		} as never))!;
		expect(card.facts[0]!.words).toBe(need.facts[0]!.words);
	});

	test('is not missed while its person is away, works on one day alone, or somebody has taken care of it', () => {
		const bo = one<{ person: number; endpoint: number }>(
			h.db,
			`SELECT o.person_id AS person, o.endpoint_id AS endpoint FROM person_endpoints o JOIN people p ON p.id = o.person_id WHERE p.login = 'bo'`
		)!;
		const heard = worked(bo.endpoint, bo.person, 5, 20 * 60_000);
		const of = (at: number, endpoint: number) => missedDevices(h.db, at, endpoint);
		expect(of(heard + 6 * DAY, bo.endpoint)).toEqual([]);
		// Nobody works for weeks: what was long ago is not counted.
		expect(of(heard + 40 * DAY, anna.endpoint)).toEqual([]);
		expect(of(heard + 6 * DAY, anna.endpoint)).toHaveLength(1);
		putAt(h.db, 'kept_endpoints', { endpoint_id: anna.endpoint, person_id: anna.person, by: 'x' }, heard + DAY);
		expect(of(heard + 6 * DAY, anna.endpoint)).toEqual([]);
	});
});
