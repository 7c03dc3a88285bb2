import { beforeAll, describe, expect, test } from 'vitest';
import { parseScope } from '$lib/core/scope/scope';
import { DAY } from '$lib/core/time/units';
import { isoDate } from '$lib/core/time/zone';
import { publicationsAt } from '../publications';
import { Harness, testEstate } from '../testing/harness';
import { matrixAt, matrixIn, whyCell } from './matrix';
import { testAccess } from './circumstances';
import { teamsAbove, teamsRelated } from '../directory';

let h: Harness;
beforeAll(async () => {
	h = await Harness.of(testEstate());
});

describe('teams', () => {
	test('lie in those above them; a grant to one is found by all in its line', () => {
		expect(teamsAbove(h.db, h.lab.now).get('harbour')!.sort()).toEqual(['everybody', 'harbour']);
		expect(teamsRelated(h.db, h.lab.now).get('everybody')!.sort()).toEqual(['everybody', 'harbour', 'visitors']);
		expect(teamsRelated(h.db, h.lab.now).get('harbour')!.sort()).toEqual(['everybody', 'harbour']);
	});
});

describe('who gets what', () => {
	const who = () => {
		const m = matrixAt(h.db, h.lab.now, publicationsAt(h.db, h.lab.now));
		const at = (team: string, publication: string) =>
			m.teams.findIndex((t) => t.id === team) * m.publications.length + m.publications.indexOf(publication);
		return { ...m, people: (team: string, publication: string) => m.has[at(team, publication)] };
	};
	test('counts people of each team, teams below counted in, each person once', () => {
		const table = who();
		expect(table.teams.map((t) => [t.id, t.depth, t.people])).toEqual([
			['everybody', 0, 5],
			['harbour', 1, 4],
			['visitors', 1, 1]
		]);
		expect(table.people('harbour', 'desk')).toBe(4);
		expect(table.people('everybody', 'desk')).toBe(4);
		expect(table.people('visitors', 'desk')).toBe(0);
		expect(table.people('visitors', 'own')).toBe(1);
		expect([...table.totals]).toEqual([4, 1]);
	});
	test('says of each cell why', () => {
		const why = (team: string, publication: string) =>
			whyCell(h.db, h.lab.now, team, publication).facts.map((f) => f.words);
		expect(why('harbour', 'desk')).toEqual(['it is granted to the team itself, required: no conditions']);
		expect(why('everybody', 'desk')).toEqual(['it is granted to Harbour, below it, required: no conditions']);
		expect(why('visitors', 'own')).toEqual(['Eve Sloop has it by name, required: no conditions']);
		expect(why('visitors', 'desk')).toEqual(['no grant reaches this team or anybody in it']);
	});
	test('a second grant that reaches the same people adds none', async () => {
		await h.carryOut('grant.add', { publication: 'desk', team: 'everybody', channels: ['clipboard'] });
		const table = who();
		expect(table.people('harbour', 'desk')).toBe(4);
		expect(table.people('visitors', 'desk')).toBe(1);
		expect(table.totals[0]).toBe(5);
	});
	test('is narrowed by the scope, and answers for days to come', async () => {
		const within = (scope: string, at = h.lab.now) => matrixIn(h.db, parseScope(scope).scope, at);
		expect(within('team:visitors').teams.map((t) => t.id)).toEqual(['visitors']);
		expect(within('publication:own').publications.map((p) => [p.id, p.people])).toEqual([['own', 1]]);
		expect(within('publication:own').teams).toHaveLength(3);
		const to = isoDate('Europe/Oslo', h.lab.now + 3 * DAY);
		await h.carryOut('grant.add', { publication: 'own', person: 'bo', channels: [], conditions: { to } });
		expect(within('publication:own').publications[0]!.people).toBe(2);
		expect(within('publication:own', h.lab.now + 7 * DAY).publications[0]!.people).toBe(1);
	});
	test('agrees with the tester for every person and publication', () => {
		const table = who();
		table.publications.forEach((publication, i) => {
			const allowed = ['anna', 'bo', 'cleo', 'dag', 'eve'].filter(
				(login) =>
					testAccess(h.db, {
						login,
						publication,
						at: h.lab.now,
						address: null,
						managed: null,
						secondFactor: true
					})!.value.allowed
			);
			expect(allowed, publication).toHaveLength(table.totals[i]!);
		});
	});
	test('the tester knows neither strangers nor what is not published', () => {
		const ask = { at: h.lab.now, address: null, managed: null, secondFactor: true };
		expect(testAccess(h.db, { ...ask, login: 'zoe', publication: 'desk' })).toBeNull();
		const none = testAccess(h.db, { ...ask, login: 'anna', publication: 'own' })!;
		expect(none.value).toMatchObject({ allowed: false, grant: null });
		expect(none.facts.length).toBeGreaterThan(0);
	});
});
