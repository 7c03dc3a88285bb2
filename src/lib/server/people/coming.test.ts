import { beforeAll, describe, expect, test } from 'vitest';
import { EVERYTHING, parseScope } from '$lib/core/scope/scope';
import { DAY, FOREVER, GB, HOUR, MINUTE } from '$lib/core/time/units';
import { momentOf, wallTime } from '$lib/core/time/zone';
import { beginning } from '$lib/core/estate/schema';
import { needsAt } from '../house/needs';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { comingAt, comingGroups } from './coming';

/** The directory tells of Fay a day ahead, sends Bo to the isle, and lets Dag go; own machines are two, and one is Anna's. */
let h: Harness;
let begun: number;
const days = (n: number) => momentOf('Europe/Oslo', wallTime('Europe/Oslo', begun).day + n, 8 * 60);
beforeAll(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			QUIET(e);
			begun = beginning(e);
			const like = e.directory.people.find((p) => p.login === 'anna')!;
			for (const login of ['fay', 'gus'])
				e.directory.people.push({ ...like, login, name: `${login} newly`, begins: days(3), told: begun + HOUR });
			e.directory.people.find((p) => p.login === 'cleo')!.begins = days(-6);
			e.directory.people.find((p) => p.login === 'bo')!.profile = 8 * GB;
			e.directory.people.find((p) => p.login === 'eve')!.manager = 'dag';
			e.directory.changes = [
				{ at: days(2), told: begun + HOUR, person: 'bo', team: 'visitors', site: 'isle' },
				{ at: days(4), told: begun + 2 * HOUR, person: 'dag', ends: true }
			];
		})
	);
	await h.live(90 * MINUTE, MINUTE);
	await h.carryOut('machine.give', { machine: 'own-01', person: 'anna' });
	await h.live(2 * HOUR, MINUTE);
});

const items = (at = h.lab.now, scope = EVERYTHING) => comingAt(h.db, scope, at).items;
const groups = () => comingGroups(h.db, h.lab.now);

describe('who begins, moves and ends', () => {
	test('is known from when the directory has told it, by their days', () => {
		const said = (at: number) => items(at).map((c) => [c.login, c.kind, c.at]);
		expect(said(begun + MINUTE)).toEqual([['cleo', 'begins', days(-6)]]);
		expect(said(begun + 62 * MINUTE)).toEqual([
			['cleo', 'begins', days(-6)],
			['bo', 'moves', days(2)],
			['fay', 'begins', days(3)],
			['gus', 'begins', days(3)]
		]);
		expect(items().at(-1)).toMatchObject({ login: 'dag', kind: 'ends', at: days(4) - 1 });
		expect(items().find((c) => c.login === 'bo')).toMatchObject({
			team: 'visitors',
			site: 'isle',
			from: { team: 'harbour', site: 'quay' }
		});
	});
	test('lies in a scope by where they come from and where they go', () => {
		const logins = (scope: string) => items(h.lab.now, parseScope(scope).scope).map((c) => c.login);
		expect(logins('team:visitors')).toEqual(['bo']);
		expect(logins('site:quay')).toEqual(['cleo', 'bo', 'fay', 'gus']);
		expect(logins('site:isle')).toEqual(['bo', 'dag']);
		expect(logins('person:dag')).toEqual(['dag']);
		expect(comingAt(h.db, parseScope('host:quay-h1').scope, h.lab.now).left).toHaveLength(1);
	});
	test('finds or misses what the pools, grants and links come to that morning', () => {
		const [moves, begin, ends] = groups();
		expect(begin).toMatchObject({ kind: 'begins', team: 'Harbour', site: 'Quay', will: 'My desk' });
		expect(begin!.people.map((p) => p.login)).toEqual(['fay', 'gus']);
		expect(moves).toMatchObject({ from: 'Harbour, Quay', will: expect.stringContaining('loses My desk') });
		// 8 GB over 10 Mbit/s.
		expect(moves!.facts.map((f) => f.words)).toContain('8 GB of files lie at Quay: about 1 h 47 min over the link');
		expect(ends).toMatchObject({ kind: 'ends', state: 'soon', will: '1 report' });
	});
	test('who finds something missing stands on Today, until it is mended', async () => {
		// Whoever is not asked about takes what there is all the same.
		const of = (scope: string) => comingGroups(h.db, h.lab.now, { among: items(h.lab.now, parseScope(scope).scope) });
		const gus = () => of('person:gus').find((g) => g.kind === 'begins')!;
		expect(groups().find((g) => g.kind === 'begins')!.state).toBe('ready');
		await h.carryOut('grant.add', { publication: 'own', team: 'harbour', channels: [], kind: 'required' });
		const begin = groups().find((g) => g.kind === 'begins')!;
		expect(begin).toMatchObject({ state: 'missing', mends: [{ pool: 'own', machines: 1 }] });
		expect(begin.facts[0]!.words).toBe('1 machine of Own machines for 2 people');
		expect(gus()).toMatchObject({ people: [{ login: 'gus' }], state: 'missing', facts: begin.facts });
		const needs = () => needsAt(h.db, EVERYTHING, h.lab.now).needs.filter((n) => n.key === 'people-not-ready');
		// Bo, too: nothing is granted to the visitors.
		expect(needs()).toMatchObject([
			{ people: 3, title: '3 people who begin or move within a week would find something missing' }
		]);
		const { mends } = begin;
		expect(mends).toMatchObject([{ kind: 'grow', pool: 'own', machines: 1 }]);
		await h.carryOut('pool.grow', { pool: 'own', count: 1 });
		expect(groups().find((g) => g.kind === 'begins')!.state).toBe('ready');
		expect(needs()).toMatchObject([{ people: 1 }]);
		expect(groups().find((g) => g.kind === 'moves')!.facts[0]!.words).toBe('no grant reaches them');
		await h.carryOut('grant.add', { publication: 'desk', team: 'visitors', channels: [], kind: 'required' });
		expect(needs()).toEqual([]);
	});
	test('is so once the day has come: they work there, and the past says where they were', async () => {
		const planned = h.lab.now;
		await h.live(days(2) - h.lab.now + 2 * MINUTE, 10 * MINUTE);
		const moved = items().find((c) => c.login === 'bo')!;
		expect(moved).toMatchObject({
			kind: 'moves',
			from: { team: 'harbour', site: 'quay' },
			team: 'visitors',
			site: 'isle'
		});
		expect(Math.abs(moved.at - days(2))).toBeLessThan(2 * MINUTE);
		expect(items(planned).find((c) => c.login === 'bo')).toMatchObject({ at: days(2) });
		expect(groups().some((g) => g.people.some((p) => p.login === 'bo'))).toBe(false);
	});
});

test('a lab in which people come and go by its seed tells the same people the same days, and counts them', async () => {
	const made = async () => {
		const own = await Harness.of(
			testEstate('e2e/small.yaml', (e) => {
				QUIET(e);
				const like = e.directory.people[0]!;
				for (let i = 0; i < 40; i++) e.directory.people.push({ ...like, login: `c${i}`, name: `Cara ${i}a Stone${i}` });
				e.directory.turnover = { begin: 2, move: 2, end: 1 };
			})
		);
		await own.live(6 * HOUR, 30 * MINUTE);
		return own;
	};
	const [a, b] = [await made(), await made()];
	const said = (x: Harness) => comingAt(x.db, EVERYTHING, x.lab.now).items;
	expect(said(a)).toEqual(said(b));
	for (const kind of ['begins', 'moves', 'ends']) expect(said(a).some((c) => c.kind === kind)).toBe(true);
	const begun = [...a.lab.world.people.values()].filter((p) => p.begins <= a.lab.now && p.ends > a.lab.now).length;
	const { peoplePage } = await import('../watch');
	const { countPeople, everybody } = await import('../directory');
	const page = peoplePage(a.db, {
		at: a.lab.now,
		scope: EVERYTHING,
		sort: 'name',
		descending: false,
		limit: 10,
		offset: 0
	});
	expect([page.total, countPeople(a.db, a.lab.now), everybody(a.db, a.lab.now).length]).toEqual([begun, begun, begun]);
	expect([...a.lab.world.people.values()].every((p) => p.ends === FOREVER || p.ends > p.begins)).toBe(true);
	await a.live(8 * DAY, 6 * HOUR);
	expect(everybody(a.db, a.lab.now).length).toBe(
		[...a.lab.world.people.values()].filter((p) => p.begins <= a.lab.now && p.ends > a.lab.now).length
	);
});
