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
			.replace(/ {2}people:\n(?: {4}.*\n)*/, '  people: { csv: people.csv }\n')
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

describe('people in a CSV', () => {
	const text = small
		.replace(/ {2}people:\n(?: {4}.*\n)*/, '  people: { csv: people.csv }\n')
		.replace('person: eve', 'person: anna');
	const head = 'login,name,team,site,pattern,managed_endpoint\n';
	const anna = 'anna,Anna Quill,harbour,quay,day,no\n';
	const from = (csv: string) => readEstate(text, 'e.yaml', (name) => (name === 'people.csv' ? csv : null));
	const wrong = (csv: string) => {
		const r = from(csv);
		return 'problems' in r ? r.problems : [];
	};

	test.each([
		['yes', true],
		['TRUE', true],
		['1', true],
		['No', false],
		['false', false]
	])('say “%s” of a managed endpoint and are understood', (word, managed) => {
		const r = from(head + anna.replace(',no', `,${word}`));
		expect('estate' in r && r.estate.directory.people[0]).toMatchObject({ managed_endpoint: managed });
	});

	test.each([
		['a word that is neither yes nor no', head + anna.replace(',no', ',perhaps'), 2, 6, /yes or no/],
		['a team that is not there', `${head}\n\n${anna.replace('harbour', 'moonbase')}`, 4, 3, /no team called moonbase/],
		[
			'a site that is not there',
			`${head}${anna}${anna.replace('anna', 'bo').replace('quay', 'moon')}`,
			3,
			4,
			/no site/
		],
		['a second person of one login', `${head}${anna}\n${anna}`, 4, 1, /a second person/],
		[
			'a line after one that spans two',
			`${head}anna,"Anna\nQuill",harbour,quay,day,no\nB!,Bo,harbour,quay,day,no\n`,
			4,
			1,
			/./
		],
		['too many fields', `${head}${anna.trim()},and,more\n`, 2, 1, /8 fields/],
		['two columns of a name', `login,${head}anna,${anna}`, 1, 1, /a second column “login”/],
		['no column for the team', 'login,name,site,pattern\nanna,Anna Quill,quay,day\n', 1, 1, /no column “team”/],
		['letters that are not UTF-8', `${head}${anna}bj\uFFFDrn,Bj\uFFFDrn,harbour,quay,day,no\n`, 3, 1, /not UTF-8/]
	])('with %s are refused where it stands', (_, csv, line, column, message) => {
		const [first] = wrong(csv);
		expect(first).toMatchObject({ file: 'people.csv', line, column });
		expect(first!.message).toMatch(message);
	});

	test('with a mark at the start, CRLF and an empty end are read', () => {
		const r = from(`\uFEFF${(head + anna).replaceAll('\n', '\r\n')}\r\n,,,,,\r\n`);
		expect('estate' in r && r.estate.directory.people.map((p) => p.login)).toEqual(['anna']);
	});
});

describe('a fault of an estate file', () => {
	const at = 'at: 2026-11-17T10:05:00+01:00';
	const withFault = (kind: string, target: string, more = '') =>
		problems(
			small.replace(/^faults:[\s\S]*/m, '') + `\nfaults:\n  - { kind: ${kind}, target: "${target}", ${at}${more} }\n`
		);

	test.each([
		['agent-stopped', /no machine called nowhere/],
		['host-down', /no host called nowhere/],
		['gateway-port', /no gateway\/protocol called nowhere/],
		['directory-slow', /no site called nowhere/],
		['volume-full', /no volume called nowhere/],
		['range-used-up', /no network called nowhere/],
		['right-taken', /no right of the builder’s account called nowhere/],
		['link-down', /no link, written site\/site, called nowhere/],
		['boot-server-down', /no boot server called nowhere/],
		['join-refused', /no folder in the directory called nowhere/]
	])('%s of what is not there is refused', (kind, message) => {
		expect(withFault(kind, 'nowhere')).toMatchObject([
			{ path: 'faults.0.target', message: expect.stringMatching(message) }
		]);
	});
	test.each([
		['host-down', 'quay-h1'],
		['gateway-port', 'quay-gw/stream'],
		['link-down', 'isle/quay'],
		['clock-off', 'isle'],
		['build-step-fails', 'any words at all']
	])('%s of what is there, %s, is taken', (kind, target) => expect(withFault(kind, target)).toEqual([]));
	test('that ends before it begins is refused', () => {
		expect(withFault('clock-off', 'isle', ', until: 2026-11-17T10:04:00+01:00')).toMatchObject([
			{ path: 'faults.0.until' }
		]);
	});
});

test.each([
	[
		'in common',
		'10.2.0.0/24, first: 10.2.0.10',
		'10.1.0.0/16, first: 10.1.200.10',
		/in common with 10.1.0.0\/24 of quay-desks/
	],
	['outside its range', 'first: 10.2.0.10', 'first: 10.3.0.10', /expected an address of 10.2.0.0\/24/],
	['of the network itself', 'first: 10.2.0.10', 'first: 10.2.0.0', /expected an address of 10.2.0.0\/24/],
	['of IPv6', '10.2.0.0/24', '2001:db8::/64', /expected an address range/],
	['of a second network of a name', 'id: isle-desks', 'id: quay-desks', /a second network called quay-desks/]
])('addresses %s are refused', (_, from, to, message) => {
	expect(problems(small.replace(from, to)).map((p) => p.message)).toContainEqual(expect.stringMatching(message));
});

test('a step whose stock system or package is not there is refused where it says so', () => {
	expect(problems(small.replace('system: meridian-server-24', 'system: nowhere-1'))).toContainEqual(
		expect.objectContaining({ path: 'image_lines.0.sheet.steps.0.system', message: 'no stock system called nowhere-1' })
	);
	expect(problems(small.replace('package: Paperlane', 'package: Nothing'))).toContainEqual(
		expect.objectContaining({ message: 'no package in the package store called Nothing' })
	);
});

test.each(['2026-11-17T10:00:00', '2026-11-17', '"10:00"'])('a moment without a zone, %s, is refused', (moment) => {
	expect(problems(small.replace('2026-11-17T10:00:00+01:00', moment))).toMatchObject([
		{ path: 'lab.opens', message: expect.stringMatching(/with its zone/) }
	]);
});

test('a link of a site to itself is refused', () => {
	expect(problems(small.replace('links: [{ to: isle,', 'links: [{ to: quay,'))).toContainEqual(
		expect.objectContaining({ path: 'sites.0.links.0.to', message: 'a link of quay to itself' })
	);
});

test('a file that is not UTF-8, or folded up to burst, is refused before it is read', () => {
	expect(problems(small.replace('Test Bay', 'Test B\uFFFDy'))[0]!.message).toMatch(/not UTF-8/);
	const deep = `a: ${'['.repeat(20_000)}${']'.repeat(20_000)}`;
	expect(problems(deep)).toHaveLength(1);
	const names = 'abcdefgh'.split('');
	const bomb = names.map(
		(x, i) =>
			`${x}: &${x} [${Array(10)
				.fill(i === 0 ? '1' : `*${names[i - 1]}`)
				.join(', ')}]`
	);
	expect(problems(bomb.join('\n'))[0]!.message).toMatch(/alias/);
	expect(problems('a: *nothing')).toHaveLength(1);
});

describe('what people of the lab pass through their sessions', () => {
	const habit = (reach: string, more = '') =>
		`${small}\naccess:\n  habits:\n    - { busy: 0.5, ${more} what: [{ reach: ${reach}, up: 2 KB }] }\n`;
	test.each([
		['channel/clipboard-out', '', null],
		['channel/drives', 'says: [the count], ', null],
		['channel/smells', '', /There is no channel smells/],
		['channel/clipboard-out up to 2 KB', '', /said by “up” and “down”/],
		['channels', '', /expected site\/…, category\/…, service\/… or channel\/…/],
		['channel/clipboard-out', 'during: rest, ', /passes at work/],
		['channel/clipboard-out', "says: [''], ", /./]
	] as const)('%s %s', (reach, more, words) => {
		const found = problems(habit(reach, more));
		if (words === null) expect(found).toEqual([]);
		else {
			expect(found.map((p) => p.message).join()).toMatch(words);
			expect(found[0]!.path).toMatch(/^access\.habits\.0\./);
		}
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
