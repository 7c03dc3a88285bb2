import { beforeAll, describe, expect, test } from 'vitest';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one, run } from '../db';
import { recordOf } from '../directory';
import { LISTS } from '../house/lists';
import { inPart } from '../part';
import type { Flow } from '../providers';
import { Harness, testEstate } from '../testing/harness';
import { inFile } from '../testing/part';
import { judgeHours, forgetHabits } from './habits';
import { sumUp } from './rolling';
import { rightSoFar, unusualAt, unusualNeeds } from './unusual';
import { takeActivity } from './write';

let h: Harness;
let midnight = 0;
/** Past midnight, when the last hour that is told of has been gone through. */
let now = 0;

const flow = (person: string, since: number, some: Partial<Flow> = {}): Flow => ({
	person,
	endpoint: null,
	machine: null,
	address: '10.1.0.9',
	target: { kind: 'site', name: 'tides.example' },
	way: 'device',
	rule: '',
	effect: 'allow',
	through: true,
	asked: null,
	since,
	until: since + MINUTE,
	decisions: 1,
	down: 1000,
	up: 500,
	...some
});
const tell = (flows: Flow[]) =>
	takeActivity(
		h.db,
		{ kind: 'activity', seq: 0, at: now, flows },
		{
			machine: () => undefined,
			person: (login: string) => recordOf(h.db, login, h.lab.now)?.id
		}
	);
const found = () => unusualAt(h.db, now, 100);

/** Everybody works in the forenoons of twelve days; then Bo is on at night, from elsewhere, and takes much along, and Eve works an hour longer. */
beforeAll(async () => {
	h = await Harness.of(testEstate());
	midnight = Math.floor(h.lab.now / DAY) * DAY;
	now = midnight + 5 * HOUR;
	const people = all<{ login: string }>(h.db, 'SELECT login FROM people ORDER BY id').map((p) => p.login);
	for (let d = 13; d >= 1; d--)
		tell(
			people.flatMap((p) =>
				[8, 9, 10].map((hour) => flow(p, midnight - d * DAY + hour * HOUR, p === 'eve' && d > 11 ? { down: 3e6 } : {}))
			)
		);
	tell([
		flow('bo', midnight + 2 * HOUR, { address: '203.0.113.9', up: 40e9 }),
		flow('bo', midnight + 3 * HOUR, { address: '203.0.113.9', up: 41e9 }),
		flow('eve', midnight - DAY + 11 * HOUR)
	]);
	sumUp(h.db, now);
	for (let i = 0; i < 20; i++) judgeHours(h.db, now);
});

describe('what is out of the ordinary', () => {
	test('is found of whom it is, once, with how it is unlike them', () => {
		expect(found().map((u) => u.login)).toEqual(['bo']);
		const [u] = found();
		expect(u!.aspects.map((a) => a.aspect).sort()).toEqual(['amount', 'hour', 'place']);
		expect(u!.odds).toBeGreaterThan(4000);
		const words = u!.aspects.map((a) => a.words).join('; ');
		expect(words).toContain('from outside of all sites. Before, on none of 13 days; of their peers’, on none');
		expect(words).toMatch(/40 GB in an hour. Before, half of that or more in none of 39 hours/);
		// What they reached is nowhere in it.
		expect(JSON.stringify(u)).not.toContain('tides');
	});

	test('is learnt from: the same again is less of a surprise', () => {
		const times = (what: string, value: string) =>
			one<{ times: number }>(
				h.db,
				`SELECT times FROM activity_habits WHERE what = ? AND value = ? AND person_id = (SELECT id FROM people WHERE login = 'bo')`,
				[what, value]
			)?.times;
		expect(times('place', 'elsewhere')).toBe(1);
		expect(times('hours', '')).toBe(41);
	});

	test('is of nobody of whom little is known, and wakes nobody once it is old', () => {
		run(h.db, 'DELETE FROM settings WHERE key = ?', ['activity judged']);
		run(h.db, 'DELETE FROM activity_habits');
		run(h.db, 'DELETE FROM unusual_activity');
		for (let i = 0; i < 20; i++) judgeHours(h.db, now + 5 * DAY);
		expect(found()).toEqual([]);
		run(h.db, 'DELETE FROM settings WHERE key = ?', ['activity judged']);
		run(h.db, 'DELETE FROM activity_habits');
		for (let i = 0; i < 20; i++) judgeHours(h.db, now);
		expect(found()).toHaveLength(1);
	});

	test('is asked about on Today, naming nobody, until somebody has said', async () => {
		const [need] = unusualNeeds(h.db, now);
		expect(need).toMatchObject({ count: 1, href: '/secure/unusual' });
		expect(JSON.stringify(need)).not.toMatch(/"bo"|Bo /);
		const { id } = found()[0]!;
		// It is found after the moment at which the estate’s clock stands.
		run(h.db, 'UPDATE unusual_activity SET found_at = ?', [h.lab.now]);
		expect(
			(await h.carryOut('unusual-activity.answer', { id, wrong: true, words: 'the account was not his' })).error
		).toBeNull();
		expect(unusualNeeds(h.db, h.lab.now + 1)).toEqual([]);
		expect(unusualAt(h.db, h.lab.now + 1, 5)[0]).toMatchObject({ answer: 'yes', words: 'the account was not his' });
		// As it was before.
		expect(unusualAt(h.db, h.lab.now - HOUR, 5)).toEqual([]);
		const right = rightSoFar(h.db, h.lab.now + 1);
		expect([right.counts.get('place'), right.counts.get('device')]).toEqual([
			{ yes: 1, answered: 1 },
			{ yes: 0, answered: 0 }
		]);
		expect(right.words('place')).toBe('right 1 of 1 time so far');
		expect(
			(await h.draft('unusual-activity.answer', { id, wrong: true, words: 'the account was not his' })).blocks
		).toHaveLength(1);
		await expect(h.draft('unusual-activity.answer', { id: 99, wrong: null })).rejects.toMatchObject({
			problems: [{ field: 'id' }]
		});
	});

	test('tells in the list what led to it', () => {
		const kind = LISTS.get('unusual-findings')!;
		const at = h.lab.now + 1;
		const { rows } = kind.page(h.db, { at, scope: { terms: [] }, sort: '', descending: false, limit: 5, offset: 0 });
		const facts = kind.why!(h.db, rows[0] as never, at);
		expect(facts.map((f) => f.source)).toContain('where from: right 1 of 1 time so far');
	});

	test('is seen by those alone in whose part whoever did it is', () => {
		const { db } = inFile(h);
		const at = h.lab.now + 1;
		const site = recordOf(h.db, 'bo', h.lab.now)!.site;
		const other = all<{ id: string }>(db, 'SELECT id FROM sites WHERE id <> ?', [site])[0]!.id;
		expect(unusualAt(inPart(db, `site:${site}`, at, true), at, 5)).toHaveLength(1);
		expect(unusualAt(inPart(db, `site:${other}`, at, true), at, 5)).toEqual([]);
		db.close();
	});

	test('is let go with what it was made of', () => {
		forgetHabits(h.db, midnight - DAY);
		expect(all(h.db, 'SELECT 1 FROM activity_habits').length).toBeGreaterThan(0);
		forgetHabits(h.db, now + 30 * DAY);
		expect(all(h.db, 'SELECT 1 FROM activity_habits UNION ALL SELECT 1 FROM unusual_activity')).toEqual([]);
	});
});
