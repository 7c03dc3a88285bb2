import { beforeAll, describe, expect, test } from 'vitest';
import { DAY, HOUR } from '$lib/core/time/units';
import { all, one, run } from '../db';
import { recordOf } from '../directory';
import { LISTS } from '../house/lists';
import { inPart } from '../part';
import type { Flow } from '../providers';
import { flow, tellFlows } from '../testing/flows';
import { Harness, testEstate } from '../testing/harness';
import { inFile } from '../testing/part';
import { judgeHours, forgetHabits } from './habits';
import { sumUp } from './rolling';
import { rightSoFar, unusualAt, unusualNeeds } from './unusual';

let h: Harness;
let midnight = 0;
/** Past midnight, when the last hour that is told of has been gone through. */
let now = 0;

const tell = (flows: Flow[]) => tellFlows(h, now, flows);
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

	test('is learnt once, whenever it was broken off', () => {
		const habits = () => all(h.db, 'SELECT * FROM activity_habits ORDER BY person_id, what, value');
		const before = habits();
		// The process ended after it had learnt from the last hour, and before it had written down that it had.
		run(h.db, `UPDATE settings SET value = CAST(value AS INTEGER) - 1 WHERE key = 'activity judged'`);
		judgeHours(h.db, now);
		expect(habits()).toEqual(before);
		expect(found()).toHaveLength(1);
	});

	test('is halved once it holds sixty days, and goes with what was rare', () => {
		const bo = recordOf(h.db, 'bo', h.lab.now)!.id;
		const of = (what: string) =>
			all<{ value: string; times: number }>(
				h.db,
				'SELECT value, times FROM activity_habits WHERE person_id = ? AND what = ? ORDER BY value',
				[bo, what]
			);
		const kept = all<{ what: string; value: string; times: number; last: number }>(
			h.db,
			'SELECT what, value, times, last FROM activity_habits WHERE person_id = ?',
			[bo]
		);
		run(h.db, `UPDATE activity_habits SET times = 60 WHERE person_id = ? AND what = 'day'`, [bo]);
		run(h.db, `UPDATE settings SET value = CAST(value AS INTEGER) - 1 WHERE key = 'activity judged'`);
		judgeHours(h.db, now);
		expect(of('day')[0]!.times).toBe(30);
		expect(of('place').map((r) => r.value)).not.toContain('elsewhere');
		for (const r of kept)
			run(h.db, 'INSERT OR REPLACE INTO activity_habits(person_id, what, value, times, last) VALUES (?, ?, ?, ?, ?)', [
				bo,
				r.what,
				r.value,
				r.times,
				r.last
			]);
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

describe('on another estate', () => {
	/** Twelve days of work in the middle of the day of each, and what is told of the last night. */
	async function after(last: (people: { login: string; site: string; team: string }[], night: number) => Flow[]) {
		const e = await Harness.of(testEstate('e2e/upland.yaml'));
		const at = Math.floor(e.lab.now / DAY) * DAY + 5 * HOUR;
		const people = all<{ login: string; site: string; team: string }>(
			e.db,
			`SELECT p.login, f.site_id AS site, m.team_id AS team FROM people p JOIN person_facts f ON f.person_id = p.id AND f.until > 9e15
			 JOIN memberships m ON m.person_id = p.id AND m.home = 1 AND m.until > 9e15 ORDER BY p.id`
		);
		for (let d = 13; d >= 1; d--)
			tellFlows(
				e,
				at,
				people.flatMap((p) => [6, 7, 8].map((hour) => flow(p.login, at - 5 * HOUR - d * DAY + hour * HOUR)))
			);
		tellFlows(e, at, last(people, at - 5 * HOUR));
		sumUp(e.db, at);
		for (let i = 0; i < 20; i++) judgeHours(e.db, at);
		return unusualAt(e.db, at, 500);
	}

	test('a clock that shows no full hour is said as it shows', async () => {
		const some = await after((people, night) => {
			const one = people.find((p) => p.site === 'kathmandu')!;
			return [flow(one.login, night - 4 * HOUR, { up: 60e9, address: '198.51.100.7' })];
		});
		expect(some).toHaveLength(1);
		// 20:00 in UTC is 01:45 in Kathmandu.
		expect(some[0]!.aspects.map((a) => a.words).join()).toContain('at 01:45 in their zone');
	});

	test('what many of a team do at once has a cause of its own, and is nobody’s', async () => {
		const teams = new Map<string, number>();
		const some = await after((people, night) => {
			for (const p of people) teams.set(p.team, (teams.get(p.team) ?? 0) + 1);
			const [team] = [...teams].sort((a, b) => b[1] - a[1])[0]!;
			return people
				.filter((p) => p.team === team)
				.map((p) => flow(p.login, night - 4 * HOUR, { up: 60e9, address: '198.51.100.7' }));
		});
		expect(Math.max(...teams.values())).toBeGreaterThanOrEqual(4);
		expect(some).toEqual([]);
	});

	test('where nothing is there nothing is found', async () => {
		const e = await Harness.of(testEstate('demo/empty.yaml'));
		judgeHours(e.db, e.lab.now);
		forgetHabits(e.db, e.lab.now);
		expect([unusualAt(e.db, e.lab.now, 5), unusualNeeds(e.db, e.lab.now)]).toEqual([[], []]);
	});
});
