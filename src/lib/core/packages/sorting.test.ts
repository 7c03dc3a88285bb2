import { describe, expect, test } from 'vitest';
import { differenceOf } from './fixtures';
import type { FileEntry, InventoryEntry } from './inventory';
import { Learned, ownFolders, folderWords, sortChanges, totalsOf, type Sort } from './sorting';
import { systemFolders } from './system-folders';
import { ChangeTree, treePath, type Choice } from './tree';

const file = (path: string, size = 1000, more: Partial<FileEntry> = {}): FileEntry => ({
	file: path,
	kind: 'file',
	size,
	mode: '0644',
	mtime: 1,
	sha256: [...path]
		.reduce((h, c) => (h * 31 + c.charCodeAt(0)) >>> 0, size)
		.toString(16)
		.padStart(64, '0'),
	...more
});
const folder = (path: string): FileEntry => ({ file: path, kind: 'folder', size: 0, mode: '0755', mtime: 1 });
const setting = (key: string, name: string, value: string): InventoryEntry => ({
	setting: key,
	name,
	type: 'text',
	value
});
const SYSTEM = { name: 'Meridian Desktop', version: '11', users: 'single' } as const;

/** An old forms app is installed, while the system goes about its own business. */
const before = [
	folder('C:/Program Files'),
	file('C:/Meridian/System/shared.dll'),
	file('C:/Meridian/Event Logs/system.evtx'),
	file('C:/Meridian/fonts.cfg'),
	setting('Machine/Software/Meridian/Update state', 'last', '1')
];
const after = [
	folder('C:/Program Files'),
	folder('C:/Program Files/Logline'),
	file('C:/Program Files/Logline/logline.exe', 500_000),
	folder('C:/Program Files/Logline/cache'),
	file('C:/Program Files/Logline/cache/forms.idx', 3000),
	file('C:/Meridian/System/shared.dll', 2000),
	file('C:/Meridian/System/lgforms.dll', 4000),
	file('C:/Meridian/Event Logs/system.evtx', 2000),
	file('C:/Meridian/fonts.cfg', 1001),
	file('C:/Temp/setup-77.tmp'),
	file('C:/Users/Public/Start Menu/Logline.lnk', 700),
	setting('Machine/Software/Meridian/Update state', 'last', '2'),
	setting('Machine/Software/Harbour Forms/Logline', 'Path', 'C:\\Program Files\\Logline'),
	setting('Machine/Classes/File types/.sv1', '', '"C:\\Program Files\\Logline\\logline.exe" "%1"'),
	setting('Machine/Network/Defaults', 'mtu', '1400')
];
const changes = differenceOf(before, after);
const sortOf = (path: string, learned?: Learned) => {
	const { sorted } = sortChanges(changes, learned, SYSTEM);
	return sorted[changes.findIndex((c) => treePath(c) === path)]!;
};

describe('sorting', () => {
	test.each<[string, Sort, RegExp]>([
		['C:/Program Files/Logline/logline.exe', 'app', /lies in C:\/Program Files\/Logline, which the installer made/],
		// A folder called cache is the app’s own when the installer ships it.
		['C:/Program Files/Logline/cache/forms.idx', 'app', /which the installer made/],
		['C:/Users/Public/Start Menu/Logline.lnk', 'app', /menu/],
		['C:/Meridian/Event Logs/system.evtx', 'noise', /log/],
		['C:/Temp/setup-77.tmp', 'noise', /temporary/],
		['C:/Meridian/System/shared.dll', 'doubtful', /a file of the system was changed/],
		['C:/Meridian/System/lgforms.dll', 'doubtful', /put into a folder of the system/],
		['C:/Meridian/fonts.cfg', 'doubtful', /changed/],
		['settings:/Machine/Software/Harbour Forms/Logline/Path', 'app', /Harbour Forms/],
		['settings:/Machine/Classes/File types/.sv1/(own value)', 'app', /registers what it opens: it points into/],
		['settings:/Machine/Software/Meridian/Update state/last', 'noise', /its own books/],
		['settings:/Machine/Network/Defaults/mtu', 'doubtful', /new, outside/]
	])('%s is %s', (path, sort, why) => {
		expect(sortOf(path).sort).toBe(sort);
		expect(sortOf(path).why).toMatch(why);
	});
	test('what changed while nothing was installed is noise, and so is what else changes where several things did', () => {
		const idle = differenceOf(
			[],
			[file('C:/Meridian/fonts.cfg'), ...['a', 'b', 'c'].map((n) => file(`C:/Meridian/System/${n}.dll`))]
		);
		const learned = new Learned(idle);
		expect(learned.size).toBe(4);
		expect(sortOf('C:/Meridian/fonts.cfg', learned)).toEqual({
			sort: 'noise',
			why: 'it also changed while nothing was installed'
		});
		expect(sortOf('C:/Meridian/System/lgforms.dll', learned).why).toBe(
			'in C:/Meridian/System things also changed while nothing was installed'
		);
		// The app’s own files are never noise for where they lie.
		expect(sortOf('C:/Program Files/Logline/logline.exe', learned).sort).toBe('app');
	});
	test('the app’s own folders, the largest first, in words', () => {
		const folders = ownFolders(changes, systemFolders(SYSTEM));
		expect(folders.map((p) => p.path)).toEqual(['C:/Program Files/Logline', 'Machine/Software/Harbour Forms/Logline']);
		expect(folderWords(folders[0]!)).toBe('C:/Program Files/Logline, 503 KB in 4 entries');
	});
	test('a package of a Unix system: what lies under its folders, its menu entry, and links into it', () => {
		const real = differenceOf(
			[folder('usr'), folder('usr/share'), folder('usr/bin')],
			[
				folder('usr'),
				folder('usr/share'),
				folder('usr/bin'),
				folder('usr/share/gauge'),
				file('usr/share/gauge/data'),
				file('usr/share/applications/gauge.desktop'),
				{ ...file('usr/bin/gauge'), kind: 'link', target: '../share/gauge/run' },
				file('usr/bin/gauge-helper')
			]
		);
		const { sorted } = sortChanges(real);
		const by = Object.fromEntries(real.map((c, i) => [treePath(c), sorted[i]!.sort]));
		expect(by).toEqual({
			'usr/share/gauge': 'app',
			'usr/share/gauge/data': 'app',
			'usr/share/applications/gauge.desktop': 'app',
			'usr/bin/gauge': 'app',
			'usr/bin/gauge-helper': 'doubtful'
		});
	});
	test('in an empty folder everything is the app’s; a new folder in one of the system is not', () => {
		const all = differenceOf([], [folder('usr'), folder('usr/games'), file('usr/games/sl')]);
		expect(sortChanges(all).sorted.map((s) => s.sort)).toEqual(['app', 'app', 'app']);
		const inside = differenceOf(
			[folder('C:/System')],
			[folder('C:/System'), folder('C:/System/ours'), file('C:/System/ours/x.dll')]
		);
		expect(sortChanges(inside).sorted.map((s) => s.sort)).toEqual(['doubtful', 'doubtful']);
	});
	test('a person’s folders are nobody’s app; what an app keeps in them is its own', () => {
		const first = differenceOf(
			[],
			[
				folder('C:/Users/anna'),
				folder('C:/Users/anna/Documents'),
				file('C:/Users/anna/Documents/hello.txt'),
				folder('C:/Users/anna/AppData'),
				folder('C:/Users/anna/AppData/Local'),
				folder('C:/Users/anna/AppData/Local/Logline'),
				file('C:/Users/anna/AppData/Local/Logline/forms.dat')
			]
		);
		const { sorted } = sortChanges(first);
		const by = Object.fromEntries(first.map((c, i) => [treePath(c), sorted[i]!.sort]));
		expect(by['C:/Users/anna/Documents/hello.txt']).toBe('doubtful');
		expect(by['C:/Users/anna/AppData/Local/Logline/forms.dat']).toBe('app');
	});
	test('a system has a folder and a key of its name; without one the usual folders alone are its own', () => {
		const [own, none] = [systemFolders(SYSTEM), systemFolders(null)];
		for (const path of ['C:/Meridian/System/x.dll', 'c:/meridian']) {
			expect(own.file(path)).toBe(true);
			expect(none.file(path)).toBe(false);
		}
		for (const path of ['C:/System/x', 'usr/bin/x', 'lib64/x', 'etc', 'proc/1'])
			expect(own.file(path) && none.file(path)).toBe(true);
		for (const path of ['C:/Meridians/x', 'C:/Program Files/Meridian', 'usr/share/x', 'opt/etc', 'D:/charts'])
			expect(own.file(path)).toBe(false);
		expect(own.software('Machine/Software/Meridian/Update state')).toBe(true);
		expect(none.software('Machine/Software/Meridian/Update state')).toBe(false);
		expect(own.software('Machine/Software/Meridian Tools')).toBe(false);
		// A name is no pattern.
		expect(systemFolders({ ...SYSTEM, name: '.* Desktop' }).file('C:/anything')).toBe(false);
	});
	test('totals add up to the whole', () => {
		const { sorted } = sortChanges(changes, new Learned([]), SYSTEM);
		const t = totalsOf(changes, sorted);
		expect(t.app.changes + t.noise.changes + t.doubtful.changes).toBe(changes.length);
		expect(t.app.bytes).toBe(503_700 + 24 + 43);
	});
});

describe('the tree of changes', () => {
	const { sorted } = sortChanges(changes, new Learned([]), SYSTEM);
	const glob = (pattern: string) => {
		const re = new RegExp(
			`^${pattern
				.replace(/[.]/g, '\\.')
				.replaceAll('**/', '(.*/)?')
				.replace(/(?<![.)])\*/g, '[^/]*')}$`
		);
		return (path: string) => re.test(path);
	};
	const tree = (choices: Choice[] = []) => new ChangeTree(changes, sorted, choices, glob);

	test('counts at every branch are the sums of what lies below', () => {
		const t = tree();
		expect(t.root).toMatchObject({ changes: changes.length, taken: sorted.filter((s) => s.sort === 'app').length });
		const check = (path: string): number => {
			const at = t.at(path)!;
			const below = t.children(path);
			const sum = below.reduce((n, b) => n + b.changes, 0) + (at.change === undefined ? 0 : 1);
			expect(at.changes).toBe(sum);
			expect(at.sorts.app + at.sorts.noise + at.sorts.doubtful).toBe(at.changes);
			below.forEach((b) => check(b.path));
			return sum;
		};
		expect(check('')).toBe(changes.length);
		expect(t.at('C:/nowhere')).toBe(null);
		expect(t.children('C:/nowhere')).toEqual([]);
	});
	test('choices by branch and by pattern: the last that fits counts, and sizes follow', () => {
		const before_ = tree().at('C:/Program Files/Logline')!.takenBytes;
		const out = tree([{ branch: 'C:/Program Files/Logline/cache', take: false }]);
		expect(out.at('C:/Program Files/Logline')!.takenBytes).toBe(before_ - 3000);
		const again = tree([
			{ branch: 'C:/Program Files/Logline', take: false },
			{ pattern: '**/*.exe', take: true },
			{ branch: 'C:/Meridian/System/lgforms.dll', take: true }
		]);
		expect(again.at('C:/Program Files/Logline')!.taken).toBe(1);
		expect(again.at('C:/Meridian')!.takenBytes).toBe(4000);
		const last = tree([
			{ pattern: '**/*.exe', take: true },
			{ branch: 'C:/Program Files/Logline', take: false }
		]);
		expect(last.at('C:/Program Files/Logline')!.taken).toBe(0);
	});
	test('can be narrowed to one sort, and searched', () => {
		const t = tree();
		expect(t.children('C:', 'doubtful').map((b) => b.name)).toEqual(['Meridian']);
		expect(t.search('LOGLINE').length).toBeGreaterThan(4);
		expect(t.search('logline', 2)).toHaveLength(2);
		expect(t.children('').map((b) => b.name)).toEqual(['C:', 'settings:']);
	});
	test('chosen anew without being built anew', () => {
		const t = tree();
		const was = t.root.taken;
		t.choose([{ branch: 'C:', take: false }]);
		expect(t.at('C:')!.taken).toBe(0);
		t.choose([]);
		expect(t.root.taken).toBe(was);
		expect(t.takes.reduce((n, x) => n + x, 0)).toBe(was);
	});
});
