import { beforeAll, describe, expect, test } from 'vitest';
import { systemOf } from '$lib/core/packages/fits';
import { systemFolders } from '$lib/core/packages/system-folders';
import { loadEstate } from '../history';
import { testEstate } from '../testing/harness';
import {
	imageTargets,
	installerOf,
	inventoryText,
	lacksOf,
	missingIn,
	missingWords,
	systemOfLine,
	tryPackage
} from './installers';
import { Lab } from './lab';

/** What apps need beside their own files, as trials and people's starts meet it. */

const demo = loadEstate('demo/kittiwake/estate.yaml');
if ('problems' in demo) throw new Error(demo.problems[0]!.message);
const estate = testEstate('e2e/small.yaml', (e) => {
	e.installers = demo.estate.installers;
});
let lab: Lab;
beforeAll(() => {
	lab = new Lab(estate);
});
const logline = installerOf(estate, 'logline-3.0');
const [start] = logline.starts;
const target = {
	id: 'logline',
	name: 'Logline',
	from: '',
	command: `${logline.folder}/${start!.command}`,
	folder: logline.folder,
	arguments: '',
	icon: '',
	opens: [],
	terminal: false
};
/** The library that Logline shares with others, with its digest. */
const needed = () => lacksOf(estate, [target], new Map())['logline']!;
const attempt = (files: { path: string; sha256: string; size: number }[]) =>
	tryPackage(estate, lab.world, 1, {
		line: 'desk',
		version: '1.0.0',
		person: 'anna',
		targets: [target],
		files
	})[0]!;
const own = { path: target.command, sha256: 'own', size: 4e6 };

describe('what an app needs', () => {
	test('are libraries outside its folder, by their content; a package lacks what it does not bring', () => {
		expect(needed().length).toBeGreaterThan(0);
		expect(needed().every((n) => n.path.endsWith('.dll') && !n.path.startsWith(logline.folder))).toBe(true);
		const brought = new Map(needed().map((n) => [n.path, n.sha256]));
		expect(lacksOf(estate, [target], brought)).toEqual({ logline: [] });
		const other = new Map(needed().map((n) => [n.path, 'of another version']));
		expect(lacksOf(estate, [target], other)).toEqual({ logline: needed() });
		// Nobody knows what a program needs that no installer brought.
		expect(lacksOf(estate, [{ id: 'x', command: 'C:/Tide/tide.exe' }], new Map())).toEqual({ x: [] });
	});

	test('may be in the image, as it was made for it', () => {
		const [first] = needed();
		expect(missingIn(estate, lab.world, 'desk', '1.0.0', [])).toBeUndefined();
		expect(missingIn(estate, lab.world, 'desk', '1.0.0', needed())).toEqual(first);
		expect(missingIn(estate, lab.world, 'desk', 'none', needed())).toEqual(first);
		expect(missingWords(first!)).toBe(`${first!.path} is not there, or is another one than it was made for`);
	});
});

describe('the system’s own folder', () => {
	const entriesOn = (system: string) => {
		const other = testEstate('e2e/small.yaml', (e) => {
			for (const l of e.image_lines) l.system = system;
		});
		const look = {
			name: 'cap-1',
			line: 'desk',
			version: '1.0.0',
			installed: [],
			pending: 0,
			set: [],
			look: 1,
			at: other.lab.opens
		};
		return inventoryText(other, new Lab(other).world, look)
			.split('\n')
			.slice(1)
			.filter((l) => l !== '')
			.map((l) => JSON.parse(l) as { file?: string; setting?: string });
	};
	test.each([
		['Nordlys Desktop 3', 'Nordlys'],
		['子午线 桌面 11', '子午线'],
		['Tideway-OS 7', 'TidewayOS']
	])('of %s is where the lab writes, and what a capture takes for the system', (name, folder) => {
		const entries = entriesOn(name);
		const folders = systemFolders(systemOf(name, 'multi'));
		const files = entries.flatMap((e) => e.file ?? []);
		expect(files.filter((f) => f.startsWith('C:/Meridian'))).toEqual([]);
		const its = files.filter((f) => f.startsWith(`C:/${folder}/`));
		expect(its.length).toBeGreaterThan(2000);
		expect(its.filter((f) => !folders.file(f))).toEqual([]);
		const keys = entries.flatMap((e) => e.setting ?? []).filter((k) => k.startsWith(`Machine/Software/${folder}/`));
		expect(keys.length).toBeGreaterThan(1);
		expect(keys.filter((k) => !folders.software(k))).toEqual([]);
	});
});

describe('a trial', () => {
	const brought = () => needed().map((n) => ({ ...n, size: 12_000 }));
	test('starts what has all that it needs, and says what it read and wrote', () => {
		const run = attempt([own, ...brought()]);
		expect(run).toMatchObject({ id: 'logline', started: true, words: '' });
		expect(run.reads).toContainEqual({ path: target.command, bytes: own.size });
		expect(run.cold).toBeGreaterThan(run.ahead);
		expect(run.writes.some((w) => w.startsWith('C:/Users/anna/'))).toBe(true);
	});
	test('names what is missing: the program itself, a library, or one of another content', () => {
		expect(attempt(brought())).toMatchObject({ started: false, words: `${target.command} is not there`, reads: [] });
		expect(attempt([own]).words).toBe(missingWords(needed()[0]!));
		expect(attempt([own, ...brought().map((b) => ({ ...b, sha256: 'x' }))]).started).toBe(false);
	});
	test('on an image that is not there is refused', () => {
		expect(() =>
			tryPackage(estate, lab.world, 1, { line: 'desk', version: '9', person: 'anna', targets: [], files: [] })
		).toThrow(/the image store has no desk 9/);
	});
});

describe('what an image starts', () => {
	test('are its programs, not its agents', () => {
		const targets = imageTargets(lab.world, 'desk', '1.1.0');
		expect(targets.map((t) => t.id)).toContain('paperlane');
		expect(targets.some((t) => /agent|client/.test(t.id))).toBe(false);
		expect(targets.every((t) => t.command === `${t.folder}/bin/${t.id}.exe`)).toBe(true);
		expect(() => imageTargets(lab.world, 'desk', '9')).toThrow(/the image store has no desk 9/);
	});
	test('what is asked for by a name that nobody has is refused with it', () => {
		expect(() => installerOf(estate, 'none')).toThrow(/no installer none/);
		expect(() => systemOfLine(estate, 'none')).toThrow(/no image line none/);
		expect(systemOfLine(estate, 'desk')).toMatchObject({ name: 'Meridian Server', users: 'multi' });
	});
});
