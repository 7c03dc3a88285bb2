import * as fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { dnKey, dnValue, parseDn } from './dn';
import { readLdif, writeLdif } from './ldif';

const read = (...lines: string[]) => readLdif(lines.join('\n'));
const words = (...lines: string[]) => read(...lines).problems.map((p) => `${p.line}: ${p.words}`);

describe('LDIF is read', () => {
	test('content, with folds, comments, base64, options and the ends of lines of any system', () => {
		const { records, problems } = readLdif(
			[
				'version: 1',
				'# a comment',
				'  that goes on',
				'dn: uid=anna,ou=people,',
				' dc=bay,dc=example',
				'objectClass: inetOrgPerson',
				'cn:: w4V', // folded base64, too
				' zYQ==',
				'cn;lang-en: Aasa',
				'mail:anna@bay.example',
				'description:',
				'jpegPhoto:: /9j/4AAQ',
				'',
				'',
				'dn: uid=bo,dc=bay',
				'uid: bo'
			].join('\r\n')
		);
		expect(problems).toEqual([]);
		expect(records).toEqual([
			{
				line: 4,
				dn: 'uid=anna,ou=people,dc=bay,dc=example',
				kind: 'content',
				attributes: new Map([
					['objectclass', ['inetOrgPerson']],
					['cn', ['Åsa']],
					['mail', ['anna@bay.example']],
					['description', ['']]
				])
			},
			{ line: 15, dn: 'uid=bo,dc=bay', kind: 'content', attributes: new Map([['uid', ['bo']]]) }
		]);
	});
	test('change records of each kind', () => {
		const { records, problems } = read(
			...['dn: uid=a,dc=b', 'changetype: delete', ''],
			...['dn: uid=c,dc=b', 'changetype: modify', 'replace: mail', 'mail: c@d.example', '-', 'delete: l', '-', ''],
			...['dn: uid=e,dc=b', 'changetype: modrdn', 'newrdn: uid=f', 'deleteoldrdn: 1', ''],
			...['dn: uid=g,dc=b', 'control: 1.2.3 false', 'changetype: add', 'uid: g']
		);
		expect(problems).toEqual([]);
		expect(records).toMatchObject([
			{ kind: 'delete', line: 1 },
			{
				kind: 'modify',
				changes: [
					{ kind: 'replace', attribute: 'mail', values: ['c@d.example'] },
					{ kind: 'delete', attribute: 'l', values: [] }
				]
			},
			{ kind: 'move', rdn: 'uid=f', superior: null },
			{ kind: 'add', dn: 'uid=g,dc=b' }
		]);
	});
	test('and what is wrong is said at its line, with the records beside it taken', () => {
		expect(words(' uid: anna')).toEqual(['1: It goes on a line, and there is none before it.']);
		expect(words('dn: a=b', 'uid: x', '', ' fold of nothing')).toEqual([
			'4: It goes on a line, and there is none before it.'
		]);
		expect(words('dn: a=b', '\tuid: x')).toEqual(['2: “\tuid: x” is no line of LDIF: write name: value.']);
		expect(words('uid: x')).toEqual(['1: A record begins with dn:.']);
		expect(words('dn: a=b', 'cn:: ***')).toEqual(['2: This is no base64.']);
		expect(words('dn: a=b', 'photo:< file:///etc/passwd')).toEqual([
			'2: The value stands somewhere else, and nothing is fetched.'
		]);
		expect(words('dn: a=b', 'changetype: rename')).toEqual([
			'2: There is no changetype rename: it is add, delete, modify or moddn.'
		]);
		expect(words('dn: a=b', 'changetype: modify', 'replace: mail', 'cn: x')).toEqual([
			'4: It is of cn, within a change of mail.'
		]);
		expect(words('dn: a=b', 'changetype: modify', 'increment: n', 'n: 1')).toEqual([
			'3: “increment” is none of add, delete and replace.'
		]);
		expect(words('dn: a=b', 'control: 1.2.3 true', 'changetype: delete')).toEqual([
			'2: It asks for a control, which this does not know.'
		]);
		expect(words('version: 2', 'dn: a=b', 'uid: x')).toEqual(['1: It is of version 2, and this reads version 1.']);
		expect(words('dn: a=b')).toEqual(['1: The record says nothing.']);
		const mixed = read('dn: a=b', 'uid x', '', 'dn: c=d', 'uid: y');
		expect([mixed.problems.length, mixed.records.map((r) => r.dn)]).toEqual([1, ['c=d']]);
	});
	test('of whatever size within the time of its length, and no more problems are said than anybody reads', () => {
		expect(read(...Array.from({ length: 5000 }, () => 'no line')).problems).toHaveLength(200);
		expect(words('dn: a=b', `cn: ${'x'.repeat(1 << 20)}`)).toEqual(['2: The line is longer than a megabyte.']);
		expect(read('dn: a=b', 'cn: x', ...Array.from({ length: 9000 }, () => ` ${'y'.repeat(60)}`)).problems).toEqual([]);
	});
});

describe('LDIF is written', () => {
	test('so that it reads back to the same, whatever is in it', () => {
		const value = fc.oneof(
			fc.string({ unit: 'grapheme' }),
			fc.string({ unit: 'binary-ascii' }),
			fc.constantFrom('', ' x', 'x ', ':', '<', 'å\nb')
		);
		fc.assert(
			fc.property(fc.array(fc.array(value, { minLength: 1, maxLength: 4 }), { maxLength: 4 }), (entries) => {
				const text = writeLdif(
					entries.map((values, i) => ({ dn: `uid=p${i}`, attributes: values.map((v) => ['cn', v] as const) }))
				);
				expect(text.split('\n').every((l) => l.length <= 76)).toBe(true);
				const { records, problems } = readLdif(text);
				expect(problems).toEqual([]);
				expect(records.map((r) => (r.kind === 'content' ? r.attributes.get('cn') : null))).toEqual(entries);
			})
		);
	});
});

describe('a distinguished name', () => {
	test('is read by RFC 4514, escapes included', () => {
		expect(parseDn('UID=anna+cn=Anna Quill, OU=People ,dc=bay')).toEqual([
			[
				{ attribute: 'uid', value: 'anna' },
				{ attribute: 'cn', value: 'Anna Quill' }
			],
			[{ attribute: 'ou', value: 'People' }],
			[{ attribute: 'dc', value: 'bay' }]
		]);
		expect(parseDn('cn=Quill\\, Anna,o=B\\2cC\\C3\\A5')).toEqual([
			[{ attribute: 'cn', value: 'Quill, Anna' }],
			[{ attribute: 'o', value: 'B,Cå' }]
		]);
		expect(parseDn('')).toEqual([]);
		for (const odd of ['anna', 'cn=a,', '=x', 'cn=a\\', 'cn=\\ff', 'a b=c']) expect(parseDn(odd)).toBeNull();
		expect(dnKey('UID=Anna, ou=People')).toBe(dnKey('uid=anna,OU=people'));
	});
	test('reads back to what was written of it', () => {
		for (const text of [' ', '  ', '#', '\\ ', ' x ', '\\'])
			expect(parseDn(`cn=${dnValue(text)},dc=x`)?.[0]).toEqual([{ attribute: 'cn', value: text }]);
		fc.assert(
			fc.property(fc.string({ unit: 'grapheme' }), (text) => {
				expect(parseDn(`cn=${dnValue(text)},dc=x`)?.[0]).toEqual([{ attribute: 'cn', value: text }]);
			})
		);
	});
});
