import { beforeAll, describe, expect, test } from 'vitest';
import { EVERYTHING, parseScope } from '$lib/core/scope/scope';
import { beginning } from '$lib/core/estate/schema';
import { DAY, FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { matrixAt, testAccess } from '../access';
import { needsAt } from '../house/needs';
import { all, one } from '../db';
import { openAt } from '../db/intervals';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { publicationsAt } from '../publications';
import { shelfOf } from '../shelf';
import { peoplePage } from '../watch';
import { uniform } from '../simulator/random';
import { everybody, personCalled, personWords } from '../directory';
import { recordOf as toldOf } from '../simulator/directory';
import type { DirectoryChange, PersonRecord } from '$lib/core/people/record';
import { learnPeople, takeIn, waitingChanges } from '../directory/learning';
import { personCard } from './cards';
import { teams as teamsList } from './lists';
import { recordOf } from '../directory/records';
import { membershipsOf, teamsAbove } from '../directory/teams';

/** Eve goes from the visitors to the harbour at two; Bo is a visitor, too, from the beginning, and no longer from three on. */
let h: Harness;
let begun: number;
let moved: number;
const estate = () =>
	testEstate('e2e/small.yaml', (e) => {
		QUIET(e);
		e.directory.people.find((p) => p.login === 'bo')!.teams = ['visitors'];
		e.directory.changes = [
			{ at: beginning(e) + 2 * HOUR, person: 'eve', team: 'harbour', teams: ['visitors'] },
			{ at: beginning(e) + 3 * HOUR, person: 'bo', teams: [] },
			{ at: beginning(e) + 4 * HOUR, person: 'eve', teams: [] }
		];
	});
beforeAll(async () => {
	const e = estate();
	begun = beginning(e);
	moved = begun + 2 * HOUR;
	h = await Harness.of(e);
	await h.live(5 * HOUR, 30_000);
});

/** Somebody as the directory tells of them, with what of it is another. */
const told = (own: Harness, login: string, other: Partial<PersonRecord>, at = own.lab.now): DirectoryChange => {
	const like = own.lab.world.people.get(login) ?? own.lab.world.people.get('anna')!;
	return { at, kind: 'person', is: { ...toldOf(like), login, ...other } };
};

const inTeam = (team: string, at: number, db = h.db) =>
	peoplePage(db, {
		scope: parseScope(`team:${team}`).scope,
		at,
		sort: 'name',
		descending: false,
		offset: 0,
		limit: 50
	})
		.rows.map((p) => p.login)
		.sort();
const asks = (login: string, at: number) =>
	testAccess(h.db, { login, publication: 'desk', at, address: null, managed: null, secondFactor: true })!.value.allowed;

describe('somebody who goes to another team', () => {
	test('is of it from that moment on, and of the other before', () => {
		expect(personCalled(h.db, 'eve', moved - 1)).toMatchObject({ team: 'visitors', memberOf: ['visitors'] });
		expect(personCalled(h.db, 'eve', moved)).toMatchObject({ team: 'harbour', memberOf: ['harbour', 'visitors'] });
		expect(personCalled(h.db, 'eve', h.lab.now)).toMatchObject({ team: 'harbour', memberOf: ['harbour'] });
		expect(personWords(h.db, 'eve', moved - 1)!.team).toBe('Visitors');
		expect(personWords(h.db, 'eve', moved)!.team).toBe('Harbour');
		expect(everybody(h.db, moved - 1).find((p) => p.login === 'eve')!.team).toBe('visitors');
		expect(everybody(h.db, moved).find((p) => p.login === 'eve')!.team).toBe('harbour');
	});

	test('is found in lists by every team that they were of then, with those above', () => {
		expect(inTeam('harbour', moved - 1)).toEqual(['anna', 'bo', 'cleo', 'dag']);
		expect(inTeam('harbour', moved)).toEqual(['anna', 'bo', 'cleo', 'dag', 'eve']);
		expect(inTeam('visitors', moved)).toEqual(['bo', 'eve']);
		expect(inTeam('visitors', begun + 3 * HOUR)).toEqual(['eve']);
		expect(inTeam('visitors', h.lab.now)).toEqual([]);
		expect(inTeam('everybody', moved)).toHaveLength(5);
	});

	test('gets what the new team gets, wherever it is asked, and the lab lets them in by it', () => {
		expect(asks('eve', moved - 1)).toBe(false);
		expect(asks('eve', moved)).toBe(true);
		const on = (at: number) =>
			shelfOf(h.db, 'eve', at, true)!
				.map((s) => s.id)
				.sort();
		expect(on(moved - 1)).toEqual(['own']);
		expect(on(moved)).toEqual(['desk', 'own']);
		const desk = publicationsAt(h.db, moved).filter((p) => p.id === 'desk');
		const total = (at: number) => matrixAt(h.db, at, desk).totals[0];
		expect([total(moved - 1), total(moved)]).toEqual([4, 5]);
	});

	test('counts once in a team above two of theirs', () => {
		const m = matrixAt(h.db, moved, publicationsAt(h.db, moved));
		const people = new Map(m.teams.map((t) => [t.id, t.people]));
		expect([people.get('everybody'), people.get('harbour'), people.get('visitors')]).toEqual([5, 5, 2]);
	});

	test('has it on their card, what is over included', () => {
		const card = personCard(h.ctx, 'eve', { at: h.lab.now, live: true } as never)!;
		expect(card.rows.filter((r) => r.name.endsWith('team')).map((r) => r.value)).toEqual(['Harbour']);
		const teams = card.sections.find((s) => s.kind === 'lines')!;
		expect(teams).toMatchObject({ title: 'Teams, now and before' });
		expect('lines' in teams && teams.lines.map((l) => l.words)).toEqual([
			'Harbour, home team',
			'Visitors',
			'Visitors, home team'
		]);
	});

	test('opens what the new team has', async () => {
		h.lab.apply({ kind: 'connect', login: 'eve', publication: 'desk', secondFactor: true, key: 'eve moved' });
		await h.live(15 * MINUTE, 10_000);
		expect(
			all(h.db, `SELECT s.id FROM sessions s JOIN people p ON p.id = s.person_id WHERE p.login = 'eve'`)
		).toHaveLength(1);
	});
});

describe('changes of the directory', () => {
	test('leave one home team at any moment, and are taken in once', async () => {
		const before = all(h.db, 'SELECT * FROM memberships ORDER BY 1, 2, 3');
		for (const p of all<{ id: number }>(h.db, 'SELECT id FROM people'))
			for (const at of [begun, moved, begun + 3 * HOUR, begun + 4 * HOUR, h.lab.now])
				expect(membershipsOf(h.db, p.id, at).filter((m) => m.home && m.until > at)).toHaveLength(1);
		await h.live(5 * MINUTE);
		expect(all(h.db, 'SELECT * FROM memberships ORDER BY 1, 2, 3')).toEqual(before);
	});

	test('that name nobody, or no team, are left out, and those beside them taken', async () => {
		const h2 = await Harness.of(testEstate('e2e/small.yaml', QUIET));
		const at = h2.lab.now;
		h2.lab.world.directoryChanges.push(
			told(h2, 'newt', { site: 'moon' }, at),
			told(h2, 'No One', {}, at),
			{ at, kind: 'person gone', login: 'nobody' },
			{ at, kind: 'team', team: { id: 'everybody', name: 'Everybody', parent: 'harbour' } },
			{ at, kind: 'team', team: { id: 'crew', name: 'Crew', parent: 'harbour' } },
			told(h2, 'bo', { memberOf: ['moon'] }, at),
			told(h2, 'anna', { memberOf: ['moon'] }, at),
			told(h2, 'anna', { memberOf: ['harbour', 'moon', 'visitors'] }, at)
		);
		await h2.live(2 * MINUTE);
		expect(personCalled(h2.db, 'anna', h2.lab.now)!.memberOf).toEqual(['harbour', 'visitors']);
		expect(one<{ n: number }>(h2.db, `SELECT count(*) AS n FROM memberships WHERE until = ${FOREVER}`)!.n).toBe(6);
		expect(all(h2.db, `SELECT login, words FROM left_out WHERE until = ${FOREVER} ORDER BY 1`)).toEqual([
			{ login: 'No One', words: '“No One” cannot be a login' },
			{ login: 'bo', words: 'there is no team moon' },
			{ login: 'newt', words: 'there is no site moon' },
			{ login: 'team everybody', words: 'Everybody would stand above itself' }
		]);
		expect(teamsAbove(h2.db, h2.lab.now).get('crew')!.slice().sort()).toEqual(['crew', 'everybody', 'harbour']);
		expect(needsAt(h2.db, parseScope('').scope, h2.lab.now).needs).toContainEqual(
			expect.objectContaining({ title: 'What the directory tells of 3 people and 1 team cannot be taken in' })
		);
		h2.lab.world.directoryChanges.push(told(h2, 'newt', { site: 'isle' }));
		await h2.live(2 * MINUTE);
		expect(personCalled(h2.db, 'newt', h2.lab.now)).toMatchObject({ site: 'isle', team: 'harbour' });
		expect(all(h2.db, `SELECT login FROM left_out WHERE until = ${FOREVER}`)).toHaveLength(3);
	});

	test('are taken in by the page', async () => {
		const big = await Harness.of(testEstate('e2e/small.yaml', QUIET));
		const at = big.lab.now;
		for (let i = 0; i < 4501; i++)
			big.lab.world.directoryChanges.push(told(big, 'dag', { memberOf: [i % 2 ? 'harbour' : 'visitors'] }, at + i));
		await big.live(2 * MINUTE);
		expect(personCalled(big.db, 'dag', big.lab.now)!.team).toBe('visitors');
		big.lab.world.directoryChanges.push(told(big, 'dag', { memberOf: ['harbour'] }));
		await big.live(2 * MINUTE);
		expect(personCalled(big.db, 'dag', big.lab.now)!.team).toBe('harbour');
	});
});

describe('odd changes', () => {
	test('at whatever moments they are told leave one home team at any moment, and no two memberships of a team at once', async () => {
		const own = await Harness.of(testEstate('e2e/small.yaml', QUIET));
		const now = own.lab.now;
		const teams = ['harbour', 'visitors', 'everybody'];
		const draw = (n: number, ...of: number[]) => Math.floor(uniform(41, ...of) * n);
		for (let i = 0; i < 60; i++)
			own.lab.world.directoryChanges.push(
				told(
					own,
					['anna', 'dag'][draw(2, i, 2)]!,
					{
						memberOf: [draw(3, i, 3), draw(3, i, 4), draw(3, i, 5)].map((k) => teams[k]!),
						site: ['quay', 'isle'][draw(2, i, 6)]!,
						moves: draw(3, i, 7) ? [] : [{ at: now + draw(5, i, 8) * DAY, site: 'isle', memberOf: ['visitors'] }]
					},
					[now, now - draw(9, i) * HOUR, now + 400 * DAY, -5, 0][draw(5, i, 1)]!
				)
			);
		await own.live(2 * MINUTE);
		const rows = all<{ person_id: number; team_id: string; since: number; until: number; home: number }>(
			own.db,
			'SELECT * FROM memberships'
		);
		for (const at of new Set(rows.flatMap((r) => [r.since, r.since + 1, own.lab.now])))
			for (const person of new Set(rows.map((r) => r.person_id))) {
				const then = rows.filter((r) => r.person_id === person && r.since <= at && r.until > at);
				expect(then.filter((r) => r.home === 1)).toHaveLength(1);
				expect(new Set(then.map((r) => r.team_id)).size).toBe(then.length);
			}
		for (const login of ['anna', 'dag']) {
			const last = own.lab.world.directoryChanges.flatMap((c) =>
				c.kind === 'person' && c.is.login === login ? [c.is] : []
			);
			const is = recordOf(own.db, login, own.lab.now)!;
			expect([is.memberOf[0], new Set(is.memberOf)]).toEqual([
				last.at(-1)!.memberOf[0],
				new Set(last.at(-1)!.memberOf)
			]);
			expect([is.site, is.moves]).toEqual([last.at(-1)!.site, last.at(-1)!.moves]);
		}
	});

	test('that were asked for before others were taken in do nothing', async () => {
		const own = await Harness.of(testEstate('e2e/small.yaml', QUIET));
		const send = (team: string) => own.lab.world.directoryChanges.push(told(own, 'anna', { memberOf: [team] }));
		send('visitors');
		const stale = await waitingChanges(own.ctx);
		send('everybody');
		await learnPeople(own.ctx);
		takeIn(own.db, stale, own.lab.now);
		expect(personCalled(own.db, 'anna', own.lab.now)!.team).toBe('everybody');
		expect((await waitingChanges(own.ctx)).changes).toEqual([]);
	});

	test.each([
		['no end', (n: number) => ({ cursor: n + 1, changes: [{ at: 1, kind: 'person gone', login: 'nobody' }] }), null],
		['no facts', () => ({ cursor: 1, changes: [{ at: 1, kind: 'person', is: { login: 'anna' } }] }), /cannot be read/],
		['another kind', () => ({ cursor: 1, changes: [{ at: 1, kind: 'printer', login: 'anna' }] }), /cannot be read/],
		['no number', () => ({ cursor: Number.NaN, changes: [] }), /cannot be read/],
		['nothing', () => null, /cannot be read/]
	])('of a directory that tells %s keep nobody waiting, and change nothing', async (_, tells, says) => {
		const own = await Harness.of(testEstate('e2e/small.yaml', QUIET));
		const before = all(own.db, 'SELECT * FROM memberships');
		own.ctx.providers.directory.changes = async (after) => tells(after) as never;
		if (says) await expect(learnPeople(own.ctx)).rejects.toThrow(says);
		else await learnPeople(own.ctx);
		expect(all(own.db, 'SELECT * FROM memberships')).toEqual(before);
		await own.live(2 * MINUTE);
	});
});

/** Forty more people of the harbour, of whom the directory sends fifteen to the visitors. */
async function many() {
	const crowd = Array.from({ length: 40 }, (_v, i) => `crowd${String(i).padStart(2, '0')}`);
	const own = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			QUIET(e);
			const like = e.directory.people.find((p) => p.login === 'bo')!;
			for (const login of crowd) e.directory.people.push({ ...like, login, name: `Crowd ${login}` });
		})
	);
	const send = (logins: string[], ...memberOf: string[]) =>
		logins.forEach((login) => own.lab.world.directoryChanges.push(told(own, login, { memberOf })));
	const needs = () =>
		needsAt(own.db, parseScope('').scope, own.lab.now).needs.filter((n) => n.key.startsWith('directory'));
	const of = (login: string) => personCalled(own.db, login, own.lab.now)!.team;
	return { own, crowd, send, needs, of };
}

describe('changes that move very many', () => {
	test('are held, stand on Today with who would go where, and are taken in by a plan', async () => {
		const { own, crowd, send, needs, of } = await many();
		send(crowd.slice(0, 15), 'visitors');
		await own.live(3 * MINUTE);
		expect(of('crowd00')).toBe('harbour');
		expect(needs()).toMatchObject([
			{
				people: 15,
				title: 'The directory takes 15 people out of teams, a site or itself at once',
				plan: { kind: 'directory.take' }
			}
		]);
		const since = needs()[0]!.since;
		send(['crowd20'], 'visitors');
		await own.live(3 * MINUTE);
		expect(needs()).toMatchObject([{ people: 16, since }]);

		const plan = await own.draft('directory.take', {});
		expect(plan.effects.people).toHaveLength(16);
		expect(plan.effects.people[0]).toMatchObject({ id: 'crowd00', how: 'from Harbour to Visitors' });
		expect(plan.reasons.map((r) => r.words)).toContain('16 people: from Harbour to Visitors');
		// What comes meanwhile makes another plan of it: it is refused.
		send(['crowd21'], 'visitors');
		await expect(own.commit(plan.id)).rejects.toThrow();
		expect((await own.carryOut('directory.take', {})).state).toBe('done');
		expect([of('crowd00'), of('crowd20'), of('crowd21'), of('crowd22')]).toEqual([
			'visitors',
			'visitors',
			'visitors',
			'harbour'
		]);
		expect(needs()).toEqual([]);
		expect((await own.draft('directory.take', {})).blocks).toHaveLength(1);
		await own.live(3 * MINUTE);
		expect(needs()).toEqual([]);
	});

	test('that the directory puts right by itself are held no longer, and nobody has moved', async () => {
		const { own, crowd, send, needs, of } = await many();
		send(crowd.slice(0, 15), 'visitors');
		await own.live(2 * MINUTE);
		expect(needs()).toHaveLength(1);
		send(crowd.slice(0, 15), 'harbour');
		await own.live(2 * MINUTE);
		expect(needs()).toEqual([]);
		expect(of('crowd00')).toBe('harbour');
	});

	test('are taken in at once where the share is set higher; and the share is set by a plan', async () => {
		const { own, crowd, send, needs, of } = await many();
		await expect(own.draft('directory.limit', { percent: 101 })).rejects.toMatchObject({
			problems: [{ field: 'percent' }]
		});
		expect((await own.carryOut('directory.limit', { percent: 50 })).state).toBe('done');
		send(crowd.slice(0, 15), 'visitors');
		await own.live(2 * MINUTE);
		expect(needs()).toEqual([]);
		expect(of('crowd00')).toBe('visitors');
	});
});

describe('a directory that has forgotten what it changed', () => {
	const putBack = (own: Harness, value: number | null) =>
		own.lab.apply({ kind: 'fault', fault: 'directory-put-back', target: 'harbour', value }) as number;
	const known = (own: Harness) => ({
		facts: all(own.db, 'SELECT * FROM person_facts ORDER BY person_id, since'),
		teams: all(own.db, 'SELECT * FROM memberships ORDER BY person_id, team_id, since')
	});

	test('is read whole: what is as it was stays so, what is other counts from then on', async () => {
		const own = await Harness.of(testEstate('e2e/small.yaml', QUIET));
		await own.live(2 * MINUTE);
		// Another tells of this team: the directory has nothing to say of it.
		await own.carryOut('team.add', { name: 'Regatta', parent: null });
		const anna = personCalled(own.db, 'anna', own.lab.now)!;
		openAt(own.db, 'memberships', { person_id: anna.id, team_id: 'regatta', home: 0 }, own.lab.now);
		const before = known(own);
		putBack(own, null);
		await own.live(2 * MINUTE);
		expect(known(own)).toEqual(before);
		expect((await waitingChanges(own.ctx)).anew).toBeNull();

		// Nobody was told of this one: it came while nothing of it was kept.
		const bo = own.lab.world.people.get('bo')!;
		bo.site = 'isle';
		putBack(own, null);
		const at = own.lab.now;
		await own.live(2 * MINUTE);
		expect(recordOf(own.db, 'bo', own.lab.now)!.site).toBe('isle');
		expect(recordOf(own.db, 'bo', at)!.site).not.toBe('isle');
		expect(personCalled(own.db, 'anna', own.lab.now)!.memberOf).toContain('regatta');
	});

	test.each([
		['nobody at all', () => ({ cursor: 5, teams: [], people: [] }), /tells of nobody at all/],
		[
			'the same people again and again',
			(own: Harness) => ({ cursor: 5, teams: [], people: [toldOf(own.lab.world.people.get('anna')!)] }),
			/the same people again and again/
		],
		['no people', () => ({ cursor: 5, teams: [] }), /cannot be read/]
	])('and tells of %s changes nothing', async (_, whole, says) => {
		const own = await Harness.of(testEstate('e2e/small.yaml', QUIET));
		await own.live(MINUTE);
		const before = known(own);
		putBack(own, null);
		own.ctx.providers.directory.whole = async () => whole(own) as never;
		await expect(learnPeople(own.ctx)).rejects.toThrow(says);
		expect(known(own)).toEqual(before);
	});

	test('and lacks many: they are held with their names, and taken in, or put right', async () => {
		const { own, crowd, needs, of } = await many();
		await own.live(MINUTE);
		putBack(own, 1);
		await own.live(3 * MINUTE);
		const harbour = needs()[0]!.people;
		expect(harbour).toBeGreaterThanOrEqual(crowd.length);
		expect(of('crowd00')).toBe('harbour');
		const plan = await own.draft('directory.take', {});
		expect(plan.effects.people).toHaveLength(harbour);
		expect(plan.reasons[0]!.words).toMatch(
			/does not know any more what it has changed: it was read whole, 1 person now/
		);
		// What the directory changes after somebody has looked is not taken in with it.
		own.lab.world.people.get('eve')!.name = 'Eve Other';
		own.lab.world.directoryChanges.push(told(own, 'eve', {}));
		const late = await own.commit(plan.id).catch((e: Error) => e);
		expect(late).toBeInstanceOf(Error);
		expect(of('crowd00')).toBe('harbour');

		own.lab.apply({ kind: 'clear fault', id: own.lab.world.faults[0]!.id });
		await own.live(12 * MINUTE);
		expect(needs()).toEqual([]);
		expect(recordOf(own.db, 'crowd00', own.lab.now)!.ends).toBe(FOREVER);
	});
});

describe('teams that come to hang elsewhere', () => {
	test('hang as they did in every view of before: who is of them, who gets what, which teams there are', async () => {
		const own = await Harness.of(testEstate('e2e/small.yaml', QUIET));
		await own.live(MINUTE);
		await own.carryOut('team.add', { name: 'Regatta', parent: null });
		const from = own.lab.now;
		await own.live(MINUTE);
		own.lab.world.directoryChanges.push({
			at: own.lab.now,
			kind: 'team',
			team: { id: 'visitors', name: 'Visitors', parent: 'harbour' }
		});
		const moved = own.lab.now;
		await own.live(3 * MINUTE);
		await own.carryOut('team.remove', { team: 'regatta' });
		await own.live(MINUTE);
		const now = own.lab.now;

		const of = (team: string, at: number) => inTeam(team, at, own.db);
		expect(of('harbour', moved - 1)).not.toContain('eve');
		expect(of('harbour', now)).toContain('eve');
		expect(of('visitors', now)).toEqual(of('visitors', moved - 1));
		expect(everybody(own.db, moved - 1).find((p) => p.login === 'eve')!.teams).toEqual(['visitors', 'everybody']);
		expect(everybody(own.db, now).find((p) => p.login === 'eve')!.teams).toEqual(['visitors', 'harbour', 'everybody']);

		const tree = (at: number) =>
			matrixAt(own.db, at, publicationsAt(own.db, at)).teams.map((t) => `${'  '.repeat(t.depth)}${t.name}`);
		expect(tree(moved - 1)).toEqual(['Everybody', '  Harbour', '  Visitors', 'Regatta']);
		expect(tree(now)).toEqual(['Everybody', '  Harbour', '    Visitors']);
		expect(tree(from - 5 * MINUTE)).toEqual(['Everybody', '  Harbour', '  Visitors']);
		const counted = (at: number) =>
			teamsList
				.page(own.db, { at, scope: EVERYTHING, sort: '', descending: false, offset: 0, limit: 50 })
				.rows.map((t) => [t.id, t.parent, t.people]);
		expect(counted(moved - 1)).toContainEqual(['visitors', 'everybody', 1]);
		expect(counted(now)).toContainEqual(['visitors', 'harbour', 1]);
	});
});
