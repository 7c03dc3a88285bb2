import { describe, expect, test } from 'vitest';
import { readIniText, readJsonSettings, readRegistryText, SettingsProblem } from './settings';

const lineOf = (read: () => unknown): number => {
	try {
		read();
	} catch (e) {
		if (e instanceof SettingsProblem) return e.line;
		throw e;
	}
	return 0;
};

describe('a registry export', () => {
	const read = (...lines: string[]) => readRegistryText(['[HKLM\\Software\\Tide]', ...lines].join('\r\n'));
	test('has keys below the roots that inventories know, and others by their own name', () => {
		const setting = (root: string) => readRegistryText(`[${root}\\A\\B]\n"x"="1"`)[0]!.setting;
		expect(['HKEY_LOCAL_MACHINE', 'hkcu', 'HKCR', 'HKEY_USERS', 'HKEY_OTHER'].map(setting)).toEqual([
			'Machine/A/B',
			'Person/A/B',
			'Machine/Classes/A/B',
			'People/A/B',
			'HKEY_OTHER/A/B'
		]);
	});
	test('has values of every type', () => {
		expect(
			read(
				'; a remark',
				'@="by default"',
				'"quoted \\"name\\""="C:\\\\Tide"',
				'"word"=dword:ffffffff',
				'"long"=hex(b):ff,ff,ff,ff,ff,ff,ff,7f',
				'"text"=hex(2):41,00,42,00,00,00',
				'"list"=hex(7):41,00,00,00,42,00,00,00,00,00',
				'"bytes"=hex:00,FF,0a',
				'"none"=hex:'
			).map(({ name, type, value }) => [name, type, value])
		).toEqual([
			['', 'text', 'by default'],
			['quoted "name"', 'text', 'C:\\Tide'],
			['word', 'number', '4294967295'],
			['long', 'number', '9223372036854775807'],
			['text', 'expandable', 'AB'],
			['list', 'list', 'A\nB'],
			['bytes', 'bytes', '00ff0a'],
			['none', 'bytes', '']
		]);
	});
	test('leaves out what it takes away, and goes on over lines', () => {
		expect(read('"gone"=-', '"bytes"=hex:01,\\', '  02,\\', '  03')).toEqual([
			{ setting: 'Machine/Software/Tide', name: 'bytes', type: 'bytes', value: '010203' }
		]);
		expect(readRegistryText('[-HKLM\\Software\\Tide]\n"x"="y"')).toEqual([]);
		expect(readRegistryText('"before any key"="y"')).toEqual([]);
	});
	test('that is wrong is refused at its line', () => {
		expect(lineOf(() => read('"a"="b"', 'nonsense'))).toBe(3);
		expect(lineOf(() => read('"a"=dword:xyz'))).toBe(2);
		expect(() => read('"a"=dword:123456789')).toThrow(/of no type that is known/);
	});
});

describe('an INI file', () => {
	test('has a key for each section; a value may hold the sign that parts it', () => {
		expect(
			readIniText('; remark\n# another\ntop = 1\n[ Places ]\nurl = http://x/?a=b\nempty =\nbig=1234567890123456', 'R')
		).toEqual([
			{ setting: 'R', name: 'top', type: 'number', value: '1' },
			{ setting: 'R/Places', name: 'url', type: 'text', value: 'http://x/?a=b' },
			{ setting: 'R/Places', name: 'empty', type: 'text', value: '' },
			// Longer than a number that is exact.
			{ setting: 'R/Places', name: 'big', type: 'text', value: '1234567890123456' }
		]);
	});
	test('that is wrong is refused at its line', () => {
		expect(lineOf(() => readIniText('a=1\n\n=2', 'R'))).toBe(3);
		expect(lineOf(() => readIniText('[a]\nwords', 'R'))).toBe(2);
	});
});

describe('a JSON file', () => {
	test('has a key for each object; a list of plain values is one setting', () => {
		expect(
			readJsonSettings('{"a":{"b":[1,"x",null],"c":{"d":true}},"n":-3,"t":"7","deep":[{"k":1}]}', 'R').map(
				(s) => `${s.setting} ${s.name}: ${s.type} ${s.value.replaceAll('\n', '|')}`
			)
		).toEqual(['R/a b: list 1|x|null', 'R/a/c d: flag true', 'R n: number -3', 'R t: text 7', 'R/deep/0 k: number 1']);
		expect(readJsonSettings('[]', 'R')).toEqual([{ setting: 'R', name: '', type: 'list', value: '' }]);
	});
	test('that is wrong is refused at its line', () => {
		expect(lineOf(() => readJsonSettings('{"a":1,\n"b" 2}', 'R'))).toBe(2);
		expect(lineOf(() => readJsonSettings('', 'R'))).toBe(1);
	});
});
