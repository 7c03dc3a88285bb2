import { beforeAll, describe, expect, test } from 'vitest';
import { publicationsAt } from '../publishing/queries';
import { Harness, testEstate } from '../testing/harness';
import { teamsAbove, teamsRelated, testAccess, whoGetsWhat } from './circumstances';

let h: Harness;
beforeAll(async () => {
	h = await Harness.of(testEstate());
});

describe('teams', () => {
	test('lie in those above them; a grant to one is found by all in its line', () => {
		expect(teamsAbove(h.db).get('harbour')!.sort()).toEqual(['everybody', 'harbour']);
		expect(teamsRelated(h.db).get('everybody')!.sort()).toEqual(['everybody', 'harbour', 'visitors']);
		expect(teamsRelated(h.db).get('harbour')!.sort()).toEqual(['everybody', 'harbour']);
	});
});

describe('who gets what', () => {
	const who = () =>
		whoGetsWhat(
			h.db,
			h.lab.now,
			publicationsAt(h.db, h.lab.now).map((p) => ({ id: p.id, name: p.internalName }))
		);
	test('counts people of each team, teams below counted in, each person once', async () => {
		const table = who();
		expect(table.teams.map((t) => [t.id, t.depth, t.people])).toEqual([
			['everybody', 0, 5],
			['harbour', 1, 4],
			['visitors', 1, 1]
		]);
		expect(table.cells['harbour/desk']).toEqual({ people: 4, grants: [1] });
		expect(table.cells['everybody/desk']!.people).toBe(4);
		expect(table.cells['visitors/desk']).toBeUndefined();
		expect(table.cells['visitors/own']!.people).toBe(1);
		expect(table.publications.map((p) => [p.id, p.people])).toEqual([
			['desk', 4],
			['own', 1]
		]);
	});
	test('a second grant that reaches the same people adds a grant, not people', async () => {
		await h.carryOut('grant.add', { publication: 'desk', team: 'everybody', channels: ['clipboard'] });
		const table = who();
		expect(table.cells['harbour/desk']!.people).toBe(4);
		expect(table.cells['harbour/desk']!.grants).toHaveLength(2);
		expect(table.cells['visitors/desk']!.people).toBe(1);
		expect(table.publications.find((p) => p.id === 'desk')!.people).toBe(5);
	});
	test('agrees with the tester for every person and publication', () => {
		const table = who();
		for (const p of table.publications) {
			const allowed = ['anna', 'bo', 'cleo', 'dag', 'eve'].filter(
				(login) =>
					testAccess(h.db, {
						login,
						publication: p.id,
						at: h.lab.now,
						address: null,
						managed: null,
						secondFactor: true
					})!.value.allowed
			);
			expect(allowed, p.id).toHaveLength(p.people);
		}
	});
	test('the tester knows neither strangers nor what is not published', () => {
		const ask = { at: h.lab.now, address: null, managed: null, secondFactor: true };
		expect(testAccess(h.db, { ...ask, login: 'zoe', publication: 'desk' })).toBeNull();
		const none = testAccess(h.db, { ...ask, login: 'anna', publication: 'own' })!;
		expect(none.value).toMatchObject({ allowed: false, grant: null });
		expect(none.facts.length).toBeGreaterThan(0);
	});
});
