import { beforeAll, describe, expect, test } from 'vitest';
import { parseScope, unusedTerms } from '$lib/core/scope/scope';
import { Harness, testEstate } from '../testing/harness';
import { teamsAbove, teamsRelated, testAccess, whoGetsWhat } from '../access/circumstances';
import { publishingAt } from './narrowed';
import { publicationsAt } from './queries';

let h: Harness;
beforeAll(async () => {
	h = await Harness.of(testEstate());
});
const view = (scope: string) => publishingAt(h.db, parseScope(scope).scope, h.lab.now);
const pools = (scope: string) => view(scope).pools.map((p) => p.id);
const publications = (scope: string) => view(scope).publications.map((p) => p.id);

describe('pools and publications under a scope', () => {
	test('find each other', () => {
		expect(pools('')).toEqual(['quay', 'own', 'isle']);
		expect(pools('publication:desk')).toEqual(['quay', 'isle']);
		expect(publications('pool:own')).toEqual(['own']);
		expect(publications('site:isle')).toEqual(['desk']);
		expect(publications('-pool:own')).toEqual(['desk']);
	});
	test('are found by whom they are granted to: a team, those above and below it, and people by name', () => {
		expect(publications('team:harbour')).toEqual(['desk']);
		expect(publications('team:everybody')).toEqual(['desk']);
		expect(publications('team:visitors')).toEqual([]);
		expect(publications('person:eve')).toEqual(['own']);
		expect(publications('person:anna')).toEqual(['desk']);
		expect(pools('person:anna')).toEqual(['quay', 'isle']);
		expect(publications('person:nobody')).toEqual([]);
	});
	test('are found by image, protocol and words', () => {
		expect(pools('line:desk version:1.0.0')).toHaveLength(3);
		expect(pools('version:1.1.0')).toEqual([]);
		expect(publications('protocol:stream')).toEqual(['desk', 'own']);
		expect(publications('machine')).toEqual(['own']);
		expect(pools('isle')).toEqual(['isle']);
	});
	test('say what none of them answers to', () => {
		const { left } = view('host:quay-h1 strain>4 site:quay');
		expect(unusedTerms(...left)).toEqual(['host quay-h1', 'strain over 4']);
		expect(unusedTerms(...view('protocol:stream').left)).toEqual([]);
	});
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
