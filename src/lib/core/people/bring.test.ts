import * as fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { DAY, FOREVER } from '../time/units';
import { momentOf } from '../time/zone';
import { bringing, waysOf, type KnownDirectory } from './bring';
import { sameRecord } from './changes';
import { columnsOf, readTable, tableHead, writeTable } from './columns';
import { broughtBy, entriesOf } from './entries';
import { givenOf, groundOf, readWhen, resolvePerson, whenText, type KnownSite } from './given';
import { readLdif, writeLdif } from './ldif';
import type { PersonRecord, Said, TeamRecord } from './record';

const NOW = Date.UTC(2026, 10, 17, 9, 0);
const SITES: KnownSite[] = [
	{ id: 'quay', name: 'Quay', zone: 'Europe/Oslo' },
	{ id: 'isle', name: 'Îsle', zone: 'Asia/Kathmandu' }
];
const zoneOf = (site: string) => SITES.find((s) => s.id === site)!.zone;
const TEAMS: TeamRecord[] = [
	{ id: 'all', name: 'Everybody', parent: null },
	{ id: 'harbour', name: 'Harbour, north', parent: 'all' },
	{ id: '海図', name: '海図', parent: 'all' }
];
const person = (login: string, other: Partial<PersonRecord> = {}): PersonRecord => ({
	login,
	name: 'Anna Quill',
	mail: null,
	employment: 'employee',
	manager: null,
	site: 'quay',
	language: null,
	pattern: 'day',
	begins: 0,
	ends: FOREVER,
	memberOf: ['harbour'],
	moves: [],
	...other
});
const ground = (teams: readonly TeamRecord[], isPerson: (login: string) => boolean) =>
	groundOf(SITES, teams, isPerson, { site: 'quay', team: null, pattern: 'day' });
const knownOf = (people: PersonRecord[], teams = TEAMS): KnownDirectory => ({
	people: new Map(people.map((p) => [p.login, p])),
	teams,
	shut: (_kind, id) => (id.startsWith('theirs') ? `The directory tells of ${id}: change it there.` : null),
	teamId: (name, taken) => {
		const base = name.toLowerCase().replaceAll(/[^a-z]+/g, '-');
		return taken(base) ? `${base}2` : base;
	}
});
const bringLdif = (text: string, known: KnownDirectory, whole = false) => {
	const { records, problems } = readLdif(text);
	const brought = broughtBy(records, known);
	return bringing({ ...brought, problems: [...problems, ...brought.problems] }, known, whole, ground, NOW);
};
const say: Said = {
	team: (id) => id,
	site: (id) => id,
	person: (login) => login,
	day: (at) => new Date(at).toISOString().slice(0, 10)
};
const words = (b: ReturnType<typeof bringLdif>) => b.problems.map((p) => `${p.line}: ${p.words}`);

/** People of a directory, each with a login of their own, some reporting to others. */
const directory = fc
	.uniqueArray(fc.constantFrom('anna', 'bo', 'c.d', 'e-f', 'gül', 'h+i@bay.example', '海'), { minLength: 1 })
	.chain((logins) =>
		fc.tuple(
			...logins.map((login) =>
				fc.record({
					login: fc.constant(login),
					name: fc.constantFrom('Anna Quill', '山田 花子', 'O’Neil, Zoë + co', 'Ünal'),
					mail: fc.constantFrom(null, 'a@bay.example'),
					employment: fc.constantFrom('employee', 'contractor'),
					manager: fc.constantFrom(null, ...logins.filter((l) => l !== login)),
					site: fc.constantFrom('quay', 'isle'),
					language: fc.constantFrom(null, 'nb', 'fr-CA'),
					pattern: fc.constantFrom('day', 'watch'),
					begins: fc.constantFrom(0, momentOf('Europe/Oslo', 20776, 0), NOW + 1000 * 60 * 7),
					ends: fc.constantFrom(FOREVER, NOW + 90 * DAY, momentOf('Asia/Kathmandu', 20900, 0)),
					memberOf: fc.uniqueArray(fc.constantFrom(...TEAMS.map((t) => t.id))),
					moves: fc.constantFrom([], [{ at: NOW + 30 * DAY, site: 'isle', memberOf: ['海図', 'all'] }])
				})
			)
		)
	);
const same = (a: PersonRecord, b: PersonRecord) => sameRecord(a, b) || JSON.stringify([a, b], null, 1);

describe('LDIF', () => {
	test('reads back to the same people and teams, in an empty list and in the one it came from', () => {
		fc.assert(
			fc.property(directory, fc.boolean(), (people, domain) => {
				const estate = { domain: domain ? 'bay.example' : null, name: 'Bay, Inc' };
				const text = writeLdif(entriesOf(people, TEAMS, estate, true));
				const fresh = bringLdif(text, knownOf([], []));
				expect(fresh.problems).toEqual([]);
				expect(fresh.teams).toEqual(expect.arrayContaining(TEAMS));
				expect(fresh.teams).toHaveLength(TEAMS.length);
				expect(fresh.outcomes).toHaveLength(people.length);
				for (const p of people) expect(same(fresh.outcomes.find((o) => o.login === p.login)!.after, p)).toBe(true);
				const again = bringLdif(text, knownOf(people), true);
				expect([again.problems, again.outcomes, again.teams]).toEqual([[], [], []]);
				expect(again.same).toBe(people.length);
			})
		);
	});

	test('of another directory is understood by the standard attributes alone; what it leaves out stays', () => {
		const known = knownOf([person('anna', { mail: 'old@bay.example', language: 'nb' })]);
		const b = bringLdif(
			[
				...[
					'dn: cn=Anna Quill,o=x',
					'objectClass: inetOrgPerson',
					'uid: Anna',
					'cn: Anna Quill',
					'mail: new@bay.example',
					''
				],
				...['dn: cn=Bo,o=x', 'objectClass: inetOrgPerson', 'mail: Bo@bay.example', 'givenName: Bo', 'sn: Rigg'],
				...['manager: cn=Anna Quill,o=x', 'l: îSLE', ''],
				...['dn: ou=things,o=x', 'objectClass: organizationalUnit', 'ou: things']
			].join('\n'),
			known
		);
		expect(words(b)).toEqual([]);
		expect(b.outcomes.map((o) => o.after)).toEqual([
			person('anna', { mail: 'new@bay.example', language: 'nb' }),
			person('bo@bay.example', {
				name: 'Bo Rigg',
				mail: 'Bo@bay.example',
				manager: 'anna',
				site: 'isle',
				memberOf: []
			})
		]);
	});

	test('changes what is known by change records: facts, members, logins, names of teams, who goes', () => {
		const known = knownOf([person('anna'), person('bo', { memberOf: ['harbour', 'all'] }), person('cleo')]);
		const b = bringLdif(
			[
				...[
					'dn: uid=anna,ou=people,dc=x',
					'changetype: modify',
					'replace: mail',
					'mail: a@b.example',
					'-',
					'delete: preferredLanguage',
					'-',
					''
				],
				...['dn: uid=anna,ou=people,dc=x', 'changetype: modrdn', 'newrdn: uid=anne', 'deleteoldrdn: 1', ''],
				...[
					'dn: cn=海図,ou=teams,dc=x',
					'changetype: modify',
					'add: member',
					'member: uid=bo,ou=people,dc=x',
					'-',
					''
				].map((l) => (l.includes('海') ? `dn:: ${Buffer.from(l.slice(4)).toString('base64')}` : l)),
				...['dn: cn=Everybody,ou=teams,dc=x', 'changetype: modify', 'delete: member', 'member: uid=bo,dc=x', '-', ''],
				...['dn: uid=cleo,ou=people,dc=x', 'changetype: delete']
			].join('\n'),
			known
		);
		expect(words(b)).toEqual([]);
		expect(
			waysOf(b.outcomes, say, 9)
				.map((w) => w.words)
				.sort()
		).toEqual(['also in 海図; no longer in all', 'ends 2026-11-17', 'login: anna → anne; mail: none → a@b.example']);
	});

	test('may have whom others tell of in it as they are, and teams whose names differ by their signs alone', () => {
		const theirs = person('theirs');
		expect(words(bringLdif('dn: uid=theirs,o=y\nuid: theirs\ncn: Anna Quill', knownOf([theirs])))).toEqual([]);
		const group = (name: string) => `dn: cn=${name},o=y\nobjectClass: groupOfNames\ncn: ${name}\nmember:\n`;
		expect(bringLdif(`${group('Crew A')}\n${group('Crew  A')}`, knownOf([])).teams.map((t) => t.id)).toEqual([
			'crew-a',
			'crew-a2'
		]);
	});

	test.each([
		['dn: uid=x,o=y\nobjectClass: person\nuid: x\ncn: X\nl: Atlantis', '1: site: There is no site Atlantis.'],
		['dn: cn=x,o=y\nobjectClass: person\ncn: X', '1: It has no uid and no mail, by which somebody could sign in.'],
		['dn: uid=x,o=y\nobjectClass: person\nuid: x', '1: name: Write a name.'],
		['dn: uid=x,o=y\nuid: x\ncn: X\n\ndn: uid=x,o=z\nuid: x\ncn: Z', '5: A second entry of x; the first is at line 1.'],
		['dn: uid=nobody,o=y\nchangetype: delete', '1: Nobody and no team is known as uid=nobody,o=y.'],
		['dn: nonsense\nuid: x', '1: “nonsense” is no name of an entry.'],
		['dn: uid=theirs,o=y\nuid: theirs\ncn: T', '1: The directory tells of theirs: change it there.'],
		['dn: uid=x,o=y\nuid: x\ncn: X\nmanager: uid=x,o=y', '1: manager: Nobody reports to themselves.'],
		[
			'dn: cn=A,o=y\nobjectClass: groupOfNames\ncn: A\nmember: cn=B,o=y\n\ndn: cn=B,o=y\nobjectClass: groupOfNames\ncn: B\nmember: cn=A,o=y',
			'6: B would stand above itself.'
		]
	])('that cannot be taken in is said at its line: %j', (text, problem) => {
		expect(words(bringLdif(text, knownOf([person('theirs')])))).toContain(problem);
	});
});

describe('a table', () => {
	test('reads back to the same people', () => {
		fc.assert(
			fc.property(directory, (people) => {
				const still = people.map((p) => ({ ...p, moves: [] }));
				const text = writeTable(still.map((p) => givenOf(p, zoneOf)));
				const { problems, columns, ...brought } = readTable(text);
				expect([problems, columns.includes(null)]).toEqual([[], false]);
				const b = bringing({ ...brought, problems }, knownOf([]), false, ground, NOW);
				expect(b.problems).toEqual([]);
				for (const p of still) expect(same(b.outcomes.find((o) => o.login === p.login)!.after, p)).toBe(true);
			})
		);
	});
	test('has its columns matched by their titles, or as somebody says', () => {
		expect(columnsOf(['Full Name', 'E-Mail', 'User_ID', 'Shoe size', 'mail'])).toEqual([
			'name',
			'mail',
			'login',
			null,
			null
		]);
		const text = 'Who;Nick;Where\nAnna Quill;anna;Quay\n';
		expect(tableHead(text)).toEqual({ titles: ['Who', 'Nick', 'Where'], rows: [['Anna Quill', 'anna', 'Quay']] });
		expect(readTable(text).problems).toEqual([{ line: 1, words: 'No column holds logins.' }]);
		// Two columns with an empty line at the end are two columns.
		expect(readTable('login;name\nada;Ada\n').people).toMatchObject([
			{ line: 2, given: { login: 'ada', name: 'Ada' } }
		]);
		expect(readTable(text, ['name', 'login', 'site']).people).toEqual([
			{ line: 2, given: { login: 'anna', name: 'Anna Quill', site: 'Quay' } }
		]);
	});
	test('says what is wrong at its line, lines within quotes counted', () => {
		const read = (text: string) => readTable(text).problems.map((p) => `${p.line}: ${p.words}`);
		expect(read('login,name\nanna,"Anna\nQuill"\nanna,Other\n')).toEqual([
			'4: A second row of anna; the first is at line 2.'
		]);
		expect(read('login,name\na,b,c\n')).toEqual(['2: It has 3 fields, and the first line names 2.']);
		expect(read('login,name\na,"b\n')).toHaveLength(1);
		expect(read('login,uid\na,b\n')).toEqual([]);
		expect(readTable('login,name\na,b\n', ['login', 'login']).problems).toEqual([
			{ line: 1, words: 'Two columns hold login.' }
		]);
		expect(read(`login\n${'x y\n'.repeat(10)}`)).toHaveLength(9);
	});
	test('that is whole takes away whoever it does not name, but whom others tell of', () => {
		const known = knownOf([person('anna'), person('bo'), person('theirs'), person('gone', { ends: NOW - DAY })]);
		const table = readTable('login\nanna\n');
		expect(bringing(table, known, true, ground, NOW).outcomes).toMatchObject([{ login: 'bo', after: { ends: NOW } }]);
		expect(bringing(table, known, false, ground, NOW).outcomes).toEqual([]);
		// Who had gone, and is named, is back.
		expect(bringing(readTable('login\ngone\n'), known, false, ground, NOW).outcomes).toMatchObject([
			{ login: 'gone', after: { ends: FOREVER } }
		]);
	});
});

describe('somebody who is given', () => {
	const resolve = (given: object, known: PersonRecord | null = null) =>
		resolvePerson(
			{ login: 'anna', name: 'Anna', ...given },
			known,
			ground(TEAMS, (l) => l === 'bo')
		);
	test('begins with the first moment of a day in the zone of their site, and ends with its last', () => {
		expect(resolve({ site: 'isle', begins: '2026-11-23', ends: '2026-11-24' })).toMatchObject({
			is: { begins: Date.UTC(2026, 10, 22, 18, 15), ends: Date.UTC(2026, 10, 24, 18, 15) }
		});
		expect(readWhen('2026-02-30', 'UTC', false)).toBeNull();
		expect(readWhen('20261123070000Z', 'UTC', false)).toBe(Date.UTC(2026, 10, 23, 7));
		expect(readWhen('2026112307+0545', 'UTC', false)).toBe(Date.UTC(2026, 10, 23, 1, 15));
		expect(readWhen('2026-11-23T07:00:00+01:00', 'UTC', true)).toBe(Date.UTC(2026, 10, 23, 6));
		for (const odd of ['', 'Monday', '2026-11-23T07:00', '9'.repeat(40)])
			expect(readWhen(odd, 'UTC', false)).toBeNull();
		fc.assert(
			fc.property(
				fc.integer({ min: 0, max: 30_000 }),
				fc.constantFrom('Europe/Oslo', 'Asia/Kathmandu'),
				fc.boolean(),
				(day, zone, after) => {
					const at = momentOf(zone, day, 0);
					expect(whenText(at, zone, after)).toMatch(/^\d{4}-\d\d-\d\d$/);
					expect(readWhen(whenText(at, zone, after), zone, after)).toBe(at);
				}
			)
		);
	});
	test.each([
		[{ login: 'an na' }, 'login'],
		[{ name: ' ' }, 'name'],
		[{ name: 'x'.repeat(201) }, 'name'],
		[{ mail: 'nowhere' }, 'mail'],
		[{ language: 'not a tag' }, 'language'],
		[{ manager: 'nobody' }, 'manager'],
		[{ site: 'moon' }, 'site'],
		[{ team: 'moon' }, 'team'],
		[{ teams: ['harbour', 'moon'] }, 'teams'],
		[{ begins: 'soon' }, 'begins'],
		[{ begins: '2026-11-24', ends: '2026-11-22' }, 'ends'],
		[{ moves: [{ on: 'x' }] }, 'moves.0.on'],
		[{ moves: [{ on: '2026-12-02' }, { on: '2026-12-01' }] }, 'moves.1.on'],
		[{ ends: '2026-11-22', moves: [{ on: '2026-12-02' }] }, 'moves.0.on'],
		[{ moves: [{ on: '2026-12-02', site: 'moon' }] }, 'moves.0.site']
	])('wrongly is said beside the field: %j', (given, field) => {
		const r = resolve(given);
		expect('problems' in r && r.problems.map((p) => p.field)).toEqual([field]);
	});
	test('keeps what is not spoken of, and a move keeps what it does not say', () => {
		const known = person('anna', {
			memberOf: ['harbour', 'all'],
			moves: [{ at: NOW + DAY, site: 'isle', memberOf: ['all'] }]
		});
		expect(resolve({}, known)).toEqual({ is: { ...known, name: 'Anna' } });
		expect(
			resolve(
				{
					moves: [
						{ on: '2026-12-02', site: 'Îsle' },
						{ on: '2026-12-09', team: '海図' }
					]
				},
				known
			)
		).toMatchObject({
			is: {
				moves: [
					{ site: 'isle', memberOf: ['harbour', 'all'] },
					{ site: 'isle', memberOf: ['海図', 'all'] }
				]
			}
		});
	});
});
