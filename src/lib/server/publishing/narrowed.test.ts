import { beforeAll, describe, expect, test } from 'vitest';
import { parseScope, unusedTerms } from '$lib/core/scope/scope';
import { Harness, testEstate } from '../testing/harness';
import { publishingAt } from './narrowed';

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
	test('are on the versions that their machines are on, whatever they were made from', async () => {
		const moved = await Harness.of(testEstate());
		moved.db.exec(
			"UPDATE machine_spots SET version = '1.1.0' WHERE machine_id IN (SELECT id FROM machines WHERE pool_id = 'quay' ORDER BY id LIMIT 4)"
		);
		const at = (scope: string) =>
			publishingAt(moved.db, parseScope(scope).scope, moved.lab.now).pools.map((p) => [p.id, p.version]);
		expect(at('pool:quay')).toEqual([['quay', '1.1.0']]);
		expect(at('version:1.1.0')).toEqual([['quay', '1.1.0']]);
		expect(at('version:1.0.0').map(([id]) => id)).toEqual(['quay', 'own', 'isle']);
	});
	test('say what none of them answers to', () => {
		const { left } = view('host:quay-h1 strain>4 site:quay');
		expect(unusedTerms(...left)).toEqual(['host quay-h1', 'strain over 4']);
		expect(unusedTerms(...view('protocol:stream').left)).toEqual([]);
	});
});
