import { readFileSync } from 'node:fs';
import { describe, expect, test } from 'vitest';
import { stringify } from 'yaml';
import { generateEstate } from './generate';
import { layOut } from './layout';
import { readEstate } from './read';

const small = readFileSync('e2e/small.yaml', 'utf8');
const read = (text: string) => readEstate(text, 'estate.yaml', () => null);
const problems = (text: string) => {
	const r = read(text);
	return 'problems' in r ? r.problems : [];
};

describe('an estate file', () => {
	test('that is right is read whole, with sizes and durations as numbers', () => {
		const r = read(small);
		if ('problems' in r) throw new Error(JSON.stringify(r.problems));
		expect(r.estate.pools[0]).toMatchObject({ memory: 12e9, policy: { patience: 900_000 } });
		expect(layOut(r.estate).machines).toHaveLength(11);
	});

	test.each([
		[
			'an unknown key',
			(t: string) => t.replace('domain: testbay.example', 'colour: blue'),
			/unknown key “colour”/,
			'colour'
		],
		[
			'a size that is none',
			(t: string) => t.replace('disk: 50 GB, count: 6', 'disk: large, count: 6'),
			/expected a size/,
			'pools.0.disk'
		],
		[
			'a site that is not there',
			(t: string) => t.replace('- { id: isle-h1, site: isle', '- { id: isle-h1, site: moon'),
			/no site called moon/,
			'hosts.2.site'
		],
		[
			'a time zone that is not there',
			(t: string) => t.replace('Europe/Oslo', 'Europe/Atlantis'),
			/expected a time zone/,
			'sites.0.time_zone'
		],
		[
			'a team above itself',
			(t: string) =>
				t.replace('{ id: everybody, name: Everybody }', '{ id: everybody, name: Everybody, parent: harbour }'),
			/above itself/,
			'directory.teams.0.parent'
		],
		[
			'a version that its line has not',
			(t: string) =>
				t.replace('line: desk, version: 1.0.0, assignment: shared', 'line: desk, version: 9.0.0, assignment: shared'),
			/has no version 9.0.0/,
			'pools.0.version'
		],
		[
			'a pool that does not fit',
			(t: string) => t.replace('memory: 12 GB, disk: 50 GB, count: 6', 'memory: 120 GB, disk: 50 GB, count: 6'),
			/memory missing/,
			'pools.0.count'
		],
		[
			'a second login',
			(t: string) => t.replace('login: bo,', 'login: anna,'),
			/second person/,
			'directory.people.1.login'
		],
		[
			'a grant to nobody',
			(t: string) => t.replace('publication: own, person: eve,', 'publication: own,'),
			/either a team or a person/,
			'grants.1'
		]
	])('with %s says where and what was expected', (_name, break_, words, path) => {
		const text = break_(small);
		expect(text).not.toBe(small);
		const found = problems(text);
		expect(found.map((p) => p.message).join(' ')).toMatch(words);
		expect(found[0]!.path).toBe(path);
		// The place is a line of the file that holds what is wrong, not its first one.
		expect(found[0]!.line).toBeGreaterThan(1);
		expect(found[0]!.column).toBeGreaterThan(0);
	});

	test('that is no YAML says where it breaks', () => {
		expect(problems('sextant: 1\nname: [unclosed')[0]).toMatchObject({ line: 2 });
	});

	test('reads its people from a CSV beside it, and names line and column there', () => {
		const text = small
			.replace(/ {2}people:\n[\s\S]*?image_lines:/, '  people: { csv: people.csv }\nimage_lines:')
			.replace('person: eve', 'person: anna');
		const csv = 'login,name,team,site,pattern,managed_endpoint\nanna,Anna Quill,harbour,quay,day,no\n';
		const good = readEstate(text, 'e.yaml', () => csv);
		expect('estate' in good && good.estate.directory.people).toMatchObject([
			{ login: 'anna', managed_endpoint: false }
		]);
		const bad = readEstate(text, 'e.yaml', () => csv + 'Bo!,Bo,harbour,quay,day,yes\n');
		expect('problems' in bad && bad.problems[0]).toMatchObject({ file: 'people.csv', line: 3, column: 1 });
		const none = readEstate(text, 'e.yaml', () => null);
		expect('problems' in none && none.problems[0]!.message).toMatch(/no file people.csv/);
	});
});

describe('a generated estate', () => {
	test.each([
		[30, 9, 1],
		[5000, 1999, 3]
	])('of %i people and %i machines is valid and as large as asked for', (people, machines, seed) => {
		const r = read(stringify(generateEstate(people, machines, seed)));
		if ('problems' in r) throw new Error(JSON.stringify(r.problems.slice(0, 3)));
		expect(r.estate.directory.people).toHaveLength(people);
		expect(layOut(r.estate).machines).toHaveLength(machines);
	});
	test('is the same for the same seed', () => {
		expect(generateEstate(50, 10, 4)).toEqual(generateEstate(50, 10, 4));
		expect(generateEstate(50, 10, 4)).not.toEqual(generateEstate(50, 10, 5));
	});
});
