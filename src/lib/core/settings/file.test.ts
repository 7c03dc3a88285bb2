import { describe, expect, test } from 'vitest';
import { HOUR, MINUTE } from '../time/units';
import { CATALOGUE } from './catalogue';
import { readGroup, readGroups, writeGroups, type NotedGroup } from './file';
import { HOLDS, readValue, SUBJECT_KINDS, valueWords, wrongWith, writtenValue } from './kinds';
import { byId, catalogueOf, readOwn, type OwnSetting } from './own';
import { readReach, reachText } from './reach';
import { momentWritten, partedAt } from './rows';

const SETTINGS = byId(CATALOGUE);
const GROUP: NotedGroup = {
	id: 'ships',
	name: 'Ships: “at sea” 北',
	rank: 120,
	note: 'first line\nsecond: line',
	values: {
		'power.sleep-after': 2 * HOUR + 30 * MINUTE,
		'session.idle': null,
		'drives.shared': ['S: surveys', 'T: tides, and #more'],
		'apps.fonts': 12,
		'browser.start': 'true',
		'updates.hours': false,
		'security.base': 'strict'
	},
	assigned: ['everything', 'branch/ships'].map((t) => readReach(t)!),
	excluded: [readReach('machines')!]
};

describe('the catalogue', () => {
	test('has sixty settings and more, each with a usual value that fits it, and an id of its area', () => {
		expect(CATALOGUE.length).toBeGreaterThanOrEqual(60);
		expect(SETTINGS.size).toBe(CATALOGUE.length);
		for (const s of CATALOGUE) {
			expect(wrongWith(s.type, s.usual), s.id).toBe(null);
			expect(s.id).toMatch(/^[a-z]+\.[a-z-]+$/);
			expect(s.for.length, s.id).toBeGreaterThan(0);
			expect(s.words, s.id).toMatch(/^[A-Z].*\.$/);
			expect(HOLDS).toContain(s.holds);
			if (s.cost) expect(s.for, `${s.id} costs at a sign-in`).toContain('session');
		}
		for (const kind of SUBJECT_KINDS) expect(CATALOGUE.some((s) => s.for.includes(kind))).toBe(true);
	});
	test('values are written as people write them, and read back to the same', () => {
		for (const s of CATALOGUE)
			expect(readValue(s.type, writtenValue(s.type, s.usual)), s.id).toEqual({ value: s.usual });
	});
	test('takes settings of an estate’s own, and says what is wrong with one', () => {
		const own: OwnSetting = {
			id: 'sonar.range',
			name: 'Sonar range',
			area: 'sonar',
			words: '',
			type: { is: 'span', least: MINUTE, most: HOUR, never: true },
			usual: '10 min',
			for: ['endpoint'],
			holds: 'at once'
		};
		expect(byId(catalogueOf([own])).get('sonar.range')!.usual).toBe(10 * MINUTE);
		expect(readOwn({ ...own, usual: '3 d' })).toMatchObject({
			key: 'usual',
			words: expect.stringMatching(/from 1 min/)
		});
		expect(readOwn({ ...own, id: 'lock.after' })).toMatchObject({ key: 'id' });
		expect(readOwn({ ...own, type: { is: 'number', unit: '', least: 3, most: 1 }, usual: 2 })).toMatchObject({
			key: 'type'
		});
	});
});

describe('a value', () => {
	const type = (id: string) => SETTINGS.get(id)!.type;
	test.each([
		['updates.hours', 'ON', true],
		['updates.hours', 'no', false],
		['power.sleep-after', ' 90 min ', 90 * MINUTE],
		['power.sleep-after', 'Never', null],
		['drives.shared', 'S: surveys\n\n T: tides ', ['S: surveys', 'T: tides']],
		['apps.fonts', '1900', 1900]
	])('%s written as %j is read', (id, written, value) => {
		expect(readValue(type(id), written)).toEqual({ value });
	});
	test.each([
		['updates.hours', 'constructor', /on or off/],
		['updates.hours', 1, /on or off/],
		['power.sleep-after', '3 s', /from 1 min to 12 h/],
		['power.sleep-after', 'soon', /Write a span/],
		['power.sleep-after', '', /Write a span/],
		['power.sleep-after', 90.5, /Write a span/],
		['updates.wait', 'never', /cannot be never/],
		['apps.fonts', '1e3', /whole number/],
		['apps.fonts', -1, /from 0 to 10,000/],
		['security.base', 'Usual', /Choose none, usual or strict/],
		['drives.shared', ['a', 'a'], /each once/],
		['drives.shared', { a: 1 }, /lines/],
		['browser.start', 'x'.repeat(201), /200 characters/],
		['browser.start', ['x'], /characters/]
	])('%s written as %j is refused', (id, written, words) => {
		expect(readValue(type(id), written)).toMatchObject({ problem: expect.stringMatching(words) });
	});
	test('is said in few words', () => {
		expect(valueWords(type('drives.shared'), ['S: a', 'T: b', 'U: c'])).toBe('S: a and 2 more');
		expect(valueWords(type('power.sleep-after'), 90 * MINUTE)).toBe('1 h 30 min');
		expect(valueWords(type('session.idle'), null)).toBe('never');
		expect(valueWords(type('apps.fonts'), 1900)).toBe('1,900 fonts');
	});
});

describe('groups as a file', () => {
	test('read back to the same, and writing those gives the same bytes', () => {
		const text = writeGroups(SETTINGS, [
			GROUP,
			{ ...GROUP, id: 'b', note: '', assigned: [], excluded: [], values: {} }
		]);
		const read = readGroups(SETTINGS, text);
		if ('problems' in read) throw new Error(JSON.stringify(read.problems));
		expect(read.groups[0]).toEqual(GROUP);
		expect(writeGroups(SETTINGS, read.groups)).toBe(text);
		expect(text).toContain('power.sleep-after: 2 h 30 min');
		expect(text).toContain('assigned: [everything, branch/ships]');
	});
	test('say what is wrong where', () => {
		const text = `settings-groups: 1
groups:
  - id: A b
    name: x
    values:
      power.sleep-aftr: 5 min
      lock.after: 3
    assigned: [branch/x, pools]
  - id: b
    name: b
    assigned: [endpoints]
    excluded: [endpoints]
  - id: b
    name: ""
    colour: red
`;
		const read = readGroups(SETTINGS, text);
		expect('problems' in read && read.problems.map((p) => `${p.line}: ${p.words}`)).toEqual([
			'3: Small letters, digits, dots and hyphens.',
			'6: There is no setting power.sleep-aftr. Do you mean power.sleep-after?',
			expect.stringMatching(/^7: Lock after: Write a span/),
			expect.stringMatching(/^8: Write everything/),
			'12: It is assigned to endpoints and left out there alike.',
			'15: There is no “colour” in a group.',
			'14: Write a name.'
		]);
	});
	test.each([
		['', /Expected settings-groups/],
		['- a', /Expected settings-groups/],
		['settings-groups: 2\ngroups: []', /version of this format/],
		['settings-groups: 1\ngroups: {}', /a list/],
		['settings-groups: 1\ngroups: [3]', /A group has id/],
		['settings-groups: 1\ngroups:\n  - &a { id: x, name: x }\n  - *a', /./],
		[`settings-groups: 1\ngroups: ${'['.repeat(50)}${']'.repeat(50)}`, /./]
	])('%j is refused', (text, words) => {
		const read = readGroups(SETTINGS, text);
		expect('problems' in read && read.problems[0]!.words).toMatch(words);
	});
	test('a name from the language’s own cupboard is no setting', () => {
		const given = JSON.parse('{"id":"x","name":"x","values":{"__proto__":true,"constructor":1}}') as unknown;
		expect(readGroup(SETTINGS, given)).toMatchObject({ problems: [{ path: ['values', '__proto__'] }, {}] });
	});
});

test('who is asked for may have an @ in their login; a moment needs its zone', () => {
	expect(partedAt('person/anna@firm.example@pool/desks')).toEqual({
		what: 'person/anna@firm.example',
		on: 'pool/desks'
	});
	expect(partedAt('person/anna@firm.example')).toEqual({ what: 'person/anna@firm.example', on: '' });
	expect(partedAt('branch/ships')).toEqual({ what: 'branch/ships', on: '' });
	expect(momentWritten('2026-11-17T14:05+05:30')).toBe(Date.UTC(2026, 10, 17, 8, 35));
	for (const text of ['2026-11-17T14:05', '2026-11-17 14:05', '2026-99-17T14:05Z', 'soon', ''])
		expect(momentWritten(text), text).toBe(null);
});

test('reaches are read as they are written', () => {
	for (const text of ['everything', 'machines', 'branch/a/b', 'person/ånn@x'])
		expect(reachText(readReach(text)!)).toBe(text);
	for (const text of ['', 'everything/', 'branch', 'branch/', 'host/x', `team/${'x'.repeat(201)}`])
		expect(readReach(text)).toBe(null);
});
