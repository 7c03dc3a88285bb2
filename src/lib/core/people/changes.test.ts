import * as fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { FOREVER } from '../time/units';
import { differences, isMoved, LEAST_HELD, mayMove, outcomes, sameRecord } from './changes';
import {
	changeWords,
	isHere,
	recordThen,
	type DirectoryChange,
	type PersonRecord,
	type Said,
	type TeamRecord
} from './record';

const DAY = 86_400_000;
const person = (login: string, other: Partial<PersonRecord> = {}): PersonRecord => ({
	login,
	name: login.toUpperCase(),
	mail: null,
	employment: 'employee',
	manager: null,
	site: 'quay',
	language: null,
	pattern: 'day',
	begins: 0,
	ends: FOREVER,
	memberOf: ['a'],
	moves: [],
	...other
});
const known = new Map(
	[person('anna'), person('bo', { memberOf: ['a', 'b'] }), person('cleo', { memberOf: ['c'], ends: 40 * DAY })].map(
		(p) => [p.login, p]
	)
);
const find = (login: string) => known.get(login) ?? null;
const is = (login: string, other: Partial<PersonRecord> = {}): DirectoryChange => ({
	at: 1,
	kind: 'person',
	is: { ...(find(login) ?? person(login)), ...other }
});
const say: Said = {
	team: (id) => id.toUpperCase(),
	site: (id) => id[0]!.toUpperCase() + id.slice(1),
	person: (login) => login.toUpperCase(),
	day: (at) => `day ${Math.ceil(at / DAY)}`
};

describe('what changes come to', () => {
	test('is, for each person once, where they end, whatever lay between', () => {
		const found = outcomes(
			[is('bo', { memberOf: ['b'] }), is('anna', { site: 'isle' }), is('bo', { memberOf: ['b', 'a'] })],
			find
		);
		expect(found.map((o) => [o.login, o.before?.memberOf, o.after.memberOf, o.after.site])).toEqual([
			['anna', ['a'], ['a'], 'isle'],
			['bo', ['a', 'b'], ['b', 'a'], 'quay']
		]);
		expect(outcomes([is('anna', { memberOf: ['c'] }), is('anna')], find)).toEqual([]);
	});
	test('somebody new was not there before; somebody with another login is still the same', () => {
		expect(outcomes([is('dag')], find)).toMatchObject([{ login: 'dag', before: null }]);
		const renamed = outcomes([{ at: 1, kind: 'person', was: 'anna', is: person('anne') }], find);
		expect(renamed).toMatchObject([{ login: 'anne', before: { login: 'anna' } }]);
		expect(changeWords(renamed[0]!.before, renamed[0]!.after, say)).toEqual([
			'login: anna → anne',
			'name: ANNA → ANNE'
		]);
	});
	test('whom the directory has no longer ends then, and nothing is to come of them', () => {
		const moves = [{ at: 9 * DAY, site: 'isle', memberOf: ['b'] }];
		const [gone] = outcomes([is('anna', { moves }), { at: 5 * DAY, kind: 'person gone', login: 'anna' }], find);
		expect(gone).toMatchObject({ before: { ends: FOREVER }, after: { ends: 5 * DAY, moves: [] } });
		expect(isMoved(gone!)).toBe(true);
		expect(outcomes([{ at: 50 * DAY, kind: 'person gone', login: 'cleo' }], find)).toEqual([]);
		expect(outcomes([{ at: 5, kind: 'person gone', login: 'nobody' }], find)).toEqual([]);
	});
	test('takes out of what they had whoever loses a team, a site or days; not whoever gains, or gets another name', () => {
		const moved = (login: string, other: Partial<PersonRecord>) => outcomes([is(login, other)], find).map(isMoved);
		expect(moved('anna', { memberOf: ['b'] })).toEqual([true]);
		expect(moved('anna', { site: 'isle' })).toEqual([true]);
		expect(moved('cleo', { ends: 30 * DAY })).toEqual([true]);
		expect(moved('cleo', { ends: 50 * DAY })).toEqual([false]);
		expect(moved('anna', { name: 'Anne' })).toEqual([false]);
		expect(moved('dag', {})).toEqual([false]);
	});
	test('a team that goes takes all of its people out of it, those who were told to be of it just before as well', () => {
		const gone = outcomes(
			[is('cleo', { memberOf: ['c', 'a'] }), { at: 5, kind: 'team gone', team: 'a' }],
			find,
			(team) => (team === 'a' ? ['anna', 'bo'] : [])
		);
		expect(gone.map((o) => [o.login, o.after.memberOf])).toEqual([
			['anna', []],
			['bo', ['b']]
		]);
		expect(gone.every(isMoved)).toBe(true);
	});
	test('the order of other teams is none, the home team is', () => {
		const three = person('x', { memberOf: ['a', 'b', 'c'] });
		expect(sameRecord(three, { ...three, memberOf: ['a', 'c', 'b'] })).toBe(true);
		expect(sameRecord(three, { ...three, memberOf: ['b', 'a', 'c'] })).toBe(false);
	});
	test('is never of more people than changes name, and is always said', () => {
		const record = fc.record({
			memberOf: fc.uniqueArray(fc.constantFrom('a', 'b', 'c')),
			site: fc.constantFrom('quay', 'isle'),
			ends: fc.constantFrom(FOREVER, 40 * DAY, 3 * DAY),
			mail: fc.constantFrom(null, 'x@y.example'),
			manager: fc.constantFrom(null, 'bo'),
			moves: fc.constantFrom([], [{ at: 9 * DAY, site: 'isle', memberOf: ['b'] }])
		});
		fc.assert(
			fc.property(fc.array(fc.tuple(fc.constantFrom('anna', 'bo', 'cleo', 'eve'), record)), (changes) => {
				const found = outcomes(
					changes.map(([login, other]) => is(login, other)),
					find
				);
				expect(new Set(found.map((o) => o.login)).size).toBe(found.length);
				for (const o of found) {
					const last = changes.findLast(([login]) => login === o.login)![1];
					expect(o.after).toMatchObject(last);
					expect(changeWords(o.before, o.after, say).join('')).not.toBe('');
				}
			})
		);
	});
});

test('so many may move without anybody looking: a share of all, and never fewer than some', () => {
	expect(mayMove(1240, 0.05)).toBe(62);
	expect(mayMove(40, 0.05)).toBe(LEAST_HELD);
	expect(mayMove(0, 0.05)).toBe(LEAST_HELD);
	expect(mayMove(1240, 0)).toBe(LEAST_HELD);
});

const move = { at: 9 * DAY, site: 'isle', memberOf: ['b'] };
test.each<[Partial<PersonRecord>, Partial<PersonRecord>, string]>([
	[{ memberOf: ['a'] }, { memberOf: ['b'] }, 'from A to B'],
	[{ memberOf: ['a'] }, { memberOf: ['a', 'b'] }, 'also in B'],
	[{ memberOf: ['a', 'b', 'c'] }, { memberOf: ['a'] }, 'no longer in B, C'],
	[{ memberOf: ['a', 'b'] }, { memberOf: ['c', 'd'] }, 'from A to C; also in D; no longer in B'],
	[{ memberOf: ['a', 'b'] }, { memberOf: ['b'] }, 'from A to B'],
	[{ memberOf: [] }, { memberOf: ['b'] }, 'from no team to B'],
	[{}, { site: 'isle' }, 'from Quay to Isle'],
	[{}, { ends: 4 * DAY }, 'ends day 4'],
	[{ ends: 4 * DAY }, {}, 'does not end'],
	[{}, { begins: 2 * DAY }, 'begins day 2'],
	[{}, { moves: [move] }, 'goes to B, Isle on day 9'],
	[{ moves: [move] }, {}, 'does not go to B on day 9'],
	[{ moves: [move] }, { site: 'isle', memberOf: ['b'] }, 'from A to B; from Quay to Isle'],
	[{ mail: 'a@b.example' }, { mail: null }, 'mail: a@b.example → none'],
	[{}, { manager: 'bo' }, 'reports to BO']
])('from %j to %j is said as “%s”', (before, after, words) => {
	expect(changeWords(person('x', before), person('x', after), say).join('; ')).toBe(words);
});

test('somebody is there from their first moment until just before their last, and by then has made the moves of those days', () => {
	const p = person('x', { begins: 2 * DAY, ends: 20 * DAY, moves: [move, { ...move, at: 12 * DAY, memberOf: ['c'] }] });
	expect([DAY, 2 * DAY, 20 * DAY - 1, 20 * DAY].map((at) => isHere(p, at))).toEqual([false, true, true, false]);
	expect(recordThen(p, 9 * DAY - 1)).toBe(p);
	expect(recordThen(p, 9 * DAY)).toMatchObject({ site: 'isle', memberOf: ['b'], moves: [{ at: 12 * DAY }] });
	expect(recordThen(p, 30 * DAY)).toMatchObject({ memberOf: ['c'], moves: [] });
});

describe('what must have changed of a directory that is read whole', () => {
	const team = (id: string, parent: string | null = null) => ({ id, name: id.toUpperCase(), parent });
	/** What is known once changes are taken in: enough of it to compare with. */
	function after(before: { teams: TeamRecord[]; people: PersonRecord[] }, changes: readonly DirectoryChange[]) {
		const teams = new Map(before.teams.map((t) => [t.id, t]));
		const people = new Map(before.people.map((p) => [p.login, p]));
		for (const c of changes) {
			if (c.kind === 'team') teams.set(c.team.id, c.team);
			else if (c.kind === 'team gone') teams.delete(c.team);
			else if (c.kind === 'person') people.set(c.is.login, c.is);
			else people.delete(c.login);
		}
		return { teams, people };
	}

	test('is nothing where it is as it was, in whatever order', () => {
		const teams = [team('a'), team('b', 'a')];
		const people = [...known.values()];
		expect(differences({ teams, people }, { teams: [...teams].reverse(), people: [...people].reverse() }, 5)).toEqual(
			[]
		);
	});

	test('names whoever is new, other or gone; whoever had ended and is not in it any more stays as they were', () => {
		const left = person('left', { ends: 3 });
		const changes = differences(
			{ teams: [team('a'), team('b')], people: [person('anna'), person('bo'), left] },
			{ teams: [team('c', 'd'), team('d'), team('a')], people: [person('anna', { site: 'isle' }), person('new')] },
			5
		);
		expect(
			changes.map((c) => [
				c.kind,
				c.kind === 'team' ? c.team.id : c.kind === 'team gone' ? c.team : c.kind === 'person' ? c.is.login : c.login
			])
		).toEqual([
			['team', 'd'],
			['team', 'c'],
			['person', 'anna'],
			['person', 'new'],
			['person gone', 'bo'],
			['team gone', 'b']
		]);
		expect(new Set(changes.map((c) => c.at))).toEqual(new Set([5]));
	});

	test('leads from any directory to any other, with no team told before the one that it belongs to', () => {
		const ids = ['a', 'b', 'c', 'd', 'e'];
		const teams = fc
			.array(fc.tuple(fc.nat(4), fc.boolean(), fc.integer({ min: -1, max: 4 })), { minLength: 5, maxLength: 5 })
			.map((rows) =>
				rows.flatMap(([n, there, parent], i) =>
					there ? [{ id: ids[i]!, name: `${n}`, parent: parent >= 0 && parent < i ? ids[parent]! : null }] : []
				)
			)
			.map((list) => list.map((t) => (list.some((p) => p.id === t.parent) ? t : { ...t, parent: null })));
		const people = fc.uniqueArray(
			fc
				.record({ login: fc.constantFrom(...ids), site: fc.constantFrom('quay', 'isle') })
				.map((p) => person(p.login, p)),
			{ selector: (p) => p.login }
		);
		const directory = fc.record({ teams, people });
		fc.assert(
			fc.property(directory, fc.tuple(directory, fc.array(fc.nat())), (before, [whole, order]) => {
				const shuffled = whole.teams.map((t, i) => [order[i] ?? i, t] as const).sort((x, y) => x[0] - y[0]);
				const changes = differences(before, { ...whole, teams: shuffled.map(([, t]) => t) }, 5);
				const then = after(before, changes);
				expect([...then.teams.values()].sort((x, y) => (x.id < y.id ? -1 : 1))).toEqual(whole.teams);
				expect(new Set(then.people.values())).toEqual(new Set(whole.people));
				const told = changes.flatMap((c) => (c.kind === 'team' ? [c.team] : []));
				told.forEach((t, i) => expect(told.slice(i).some((later) => later.id === t.parent)).toBe(false));
			})
		);
	});
});
