import { describe, expect, test } from 'vitest';
import { clashWords, DETAILS, findClashes, type Claim } from './clashes';
import { fitsSystem, systemOf, systemWords } from './fits';
import { readMenuEntry } from './desktop-entry';
import { findTargets, readShortcut, startFolder, type Startable } from './launch';
import { USUAL_WRITES, whereWrites, writeRuleProblems, type WriteRules } from './scope';

const text = (s: string) => new TextEncoder().encode(s);
const ENTRY = `# made by hand
[Desktop Entry]
Type=Application
Name=Logline
Name[nb]=Loglinje
Exec="/opt/logline/bin/log line" --new %U "two words" 100%%
Path=/opt/logline
Icon=/opt/logline/logline.png
MimeType=application/x-logline;text/x-log;

[Desktop Action extra]
Exec=/opt/logline/bin/other
`;

/** A shortcut as [MS-SHLLINK] lays it out: header, LinkInfo with a local base path, and the strings that the flags name. */
function shortcut(
	to: string,
	strings: { name?: string; folder?: string; args?: string; icon?: string } = {}
): Uint8Array {
	const flags =
		2 |
		(strings.name ? 4 : 0) |
		(strings.folder ? 0x10 : 0) |
		(strings.args ? 0x20 : 0) |
		(strings.icon ? 0x40 : 0) |
		0x80;
	const path = text(`${to}\0`);
	const parts = [strings.name, strings.folder, strings.args, strings.icon].filter((s) => s !== undefined);
	const size = 28 + path.length;
	const bytes = new Uint8Array(76 + size + parts.reduce((n, s) => n + 2 + 2 * s.length, 0));
	const view = new DataView(bytes.buffer);
	view.setUint32(0, 0x4c, true);
	view.setUint32(20, flags, true);
	view.setUint32(76, size, true);
	view.setUint32(80, 28, true);
	view.setUint32(84, 1, true);
	view.setUint32(92, 28, true);
	bytes.set(path, 104);
	let at = 76 + size;
	for (const s of parts) {
		view.setUint16(at, s.length, true);
		[...s].forEach((c, i) => view.setUint16(at + 2 + 2 * i, c.charCodeAt(0), true));
		at += 2 + 2 * s.length;
	}
	return bytes;
}

describe('launch targets', () => {
	test('a menu entry: its own group only, quoted words whole, what opens files left out', () => {
		expect(readMenuEntry(ENTRY, 'x.desktop')!.target).toEqual({
			name: 'Logline',
			command: 'opt/logline/bin/log line',
			arguments: '--new "two words" 100%',
			folder: 'opt/logline',
			icon: 'opt/logline/logline.png',
			opens: ['application/x-logline', 'text/x-log'],
			terminal: false,
			from: 'x.desktop'
		});
	});
	test('a shortcut: where it leads, with what, from where, its icon', () => {
		const bytes = shortcut('C:\\Programs\\Logline\\logline.exe', {
			name: 'Log book',
			folder: 'C:\\Programs\\Logline',
			args: '/new',
			icon: 'C:\\Programs\\Logline\\logline.ico'
		});
		expect(readShortcut(bytes, 'C:/Start Menu/Logline.lnk')).toEqual({
			name: 'Log book',
			command: 'C:/Programs/Logline/logline.exe',
			arguments: '/new',
			folder: 'C:/Programs/Logline',
			icon: 'C:/Programs/Logline/logline.ico',
			opens: [],
			terminal: false,
			from: 'C:/Start Menu/Logline.lnk'
		});
		expect(readShortcut(shortcut('C:\\a.exe'), 'C:/A b.lnk')!.name).toBe('A b');
	});
	test('what is no shortcut, or is cut short anywhere, gives none and never throws', () => {
		const whole = shortcut('C:\\a.exe', { name: 'x', args: 'y' });
		for (let n = 0; n < whole.length; n++) {
			const read = readShortcut(whole.subarray(0, n), 'a.lnk');
			expect(read === null || read.command === 'C:/a.exe').toBe(true);
		}
		expect(readShortcut(text('hello, this is some text'), 'a.lnk')).toBe(null);
	});

	const there = new Set(['C:/P/logline.exe', 'C:/P', 'C:/P/logline.ico', 'C:/P/uninstall.exe', 'C:/P/tool.exe']);
	const program = (path: string): Startable => ({ path, mode: '0755', read: () => text('') });
	const found = (files: Startable[]) =>
		findTargets(files, (p) => there.has(p), new Map([['c:/p/logline.exe', ['.sv1']]]));

	test('several that start the same are one, with the best proposed and why', () => {
		const groups = found([
			program('C:/P/logline.exe'),
			{
				path: 'C:/Menu/Logline.lnk',
				mode: '0644',
				read: () => shortcut('C:\\P\\logline.exe', { icon: 'C:\\P\\logline.ico' })
			},
			{ path: 'C:/Desk/Logline.lnk', mode: '0644', read: () => shortcut('C:\\P\\logline.exe') }
		]);
		expect(groups).toHaveLength(1);
		expect(groups[0]!.best).toMatchObject({ id: 'logline', from: 'C:/Menu/Logline.lnk', opens: ['.sv1'] });
		expect(groups[0]!.others).toHaveLength(2);
		expect(groups[0]!.facts.map((f) => f.words).join('; ')).toMatch(
			/it is a shortcut.*it has an icon of its own.*C:\/Desk\/Logline\.lnk starts the same, but has no icon.*C:\/P\/logline\.exe starts the same, but is a program/
		);
		expect(groups[0]!.problems).toEqual([]);
	});
	test('a bare program is no target beside an entry that starts it with arguments', () => {
		const groups = found([
			program('C:/P/logline.exe'),
			{ path: 'a.lnk', mode: '0644', read: () => shortcut('C:\\P\\logline.exe', { args: '/a' }) }
		]);
		expect(groups.map((g) => [g.best.arguments, g.others.length])).toEqual([['/a', 1]]);
	});
	test('the same program with other arguments is another target', () => {
		const groups = found([
			{ path: 'a.lnk', mode: '0644', read: () => shortcut('C:\\P\\logline.exe', { args: '/a' }) },
			{ path: 'b.lnk', mode: '0644', read: () => shortcut('C:\\P\\logline.exe', { args: '/b' }) }
		]);
		expect(groups.map((g) => g.best.arguments).sort()).toEqual(['/a', '/b']);
	});
	test('broken targets, missing and generic icons and helpers are pointed out before anybody sees them', () => {
		const words = (f: Startable) => found([f])[0]!.problems.map((p) => p.words);
		expect(words({ path: 'a.lnk', mode: '0644', read: () => shortcut('C:\\P\\gone.exe') })).toEqual([
			'its command C:/P/gone.exe is not there',
			'it has no icon'
		]);
		expect(
			words({
				path: 'a.lnk',
				mode: '0644',
				read: () => shortcut('C:\\P\\tool.exe', { icon: 'application.ico', folder: 'C:\\Q' })
			})
		).toEqual(['its folder C:/Q is not there', 'its icon application.ico stands for any program']);
		expect(words(program('C:/P/uninstall.exe'))).toEqual([
			'it looks like a helper of the app, not like something that people start'
		]);
	});
	test('two targets of one name have ids of their own', () => {
		const groups = found([program('C:/P/tool.exe'), program('C:/Q/tool.exe')]);
		expect(new Set(groups.map((g) => g.best.id)).size).toBe(2);
		expect(startFolder(groups[0]!.best)).toMatch(/^C:\/[PQ]$/);
	});
	test('programs of a Unix package are found in its folders for programs', () => {
		const groups = findTargets(
			[
				{ path: 'usr/bin/gauge', mode: '0755', read: () => text('') },
				{ path: 'usr/share/gauge/readme', mode: '0755', read: () => text('') },
				{
					path: 'usr/share/applications/gauge.desktop',
					mode: '0644',
					read: () => text('[Desktop Entry]\nName=Gauge\nExec=gauge %f\nIcon=gauge')
				}
			],
			() => true
		);
		expect(groups).toHaveLength(1);
		expect(groups[0]!.best).toMatchObject({ name: 'Gauge', command: 'gauge' });
	});
});

describe('where a write goes', () => {
	const rules = (usual: WriteRules['usual'], branches: WriteRules['branches'] = []): WriteRules => ({
		...USUAL_WRITES,
		usual,
		branches
	});
	test.each<[string, WriteRules, string, string | null]>([
		[
			'C:\\Program Files\\Logline\\x.ini',
			rules('overlay'),
			'overlay',
			'profile:overlay/C:/Program Files/Logline/x.ini'
		],
		['C:/Users/anna/x.txt', rules('overlay'), 'overlay', 'profile:overlay/C:/Users/anna/x.txt'],
		['C:/Users/anna/x.txt', rules('person'), 'place', 'C:/Users/anna/x.txt'],
		['D:/charts/x', rules('person'), 'overlay', 'profile:overlay/D:/charts/x'],
		['D:/charts/x', rules('anywhere'), 'place', 'D:/charts/x'],
		['C:/System/x.dll', rules('anywhere'), 'refused', null],
		['C:/System/x.dll', rules('person'), 'overlay', 'profile:overlay/C:/System/x.dll'],
		['/home/anna/.logline', rules('person'), 'place', 'home/anna/.logline'],
		['settings:/Person/Software/Logline', rules('person'), 'place', 'settings:/Person/Software/Logline'],
		['settings:/Machine/System/x', rules('anywhere'), 'refused', null],
		['D:/charts/x', rules('overlay', [{ branch: 'D:/charts', scope: 'anywhere' }]), 'place', 'D:/charts/x'],
		[
			'D:/charts/old/x',
			rules('overlay', [
				{ branch: 'D:/charts', scope: 'anywhere' },
				{ branch: 'd:/Charts/OLD', scope: 'overlay' }
			]),
			'overlay',
			'profile:overlay/D:/charts/old/x'
		],
		[
			'D:/chartsX',
			rules('overlay', [{ branch: 'D:/charts', scope: 'anywhere' }]),
			'overlay',
			'profile:overlay/D:/chartsX'
		]
	])('%s', (path, given, to, lands) => {
		const { value, facts } = whereWrites(path, given);
		expect(value).toEqual({ to, path: lands });
		expect(facts.length).toBeGreaterThan(1);
	});
	test('says by which rule, and whether it is there again', () => {
		const { facts } = whereWrites('D:/charts/x', {
			usual: 'person',
			branches: [{ branch: 'D:/charts', scope: 'overlay' }],
			overlay: { lives: 'machine', outlasts: false }
		});
		expect(facts.map((f) => f.words)).toEqual([
			'the branch D:/charts has a rule of its own: its own overlay only',
			'every write goes to the overlay',
			'the overlay lies on the disk of the machine and is emptied at sign-out'
		]);
	});
	test('rules that are empty, climb or stand twice are named by their field', () => {
		const branches = ['', 'a', 'A', 'b/../c'].map((branch) => ({ branch, scope: 'overlay' as const }));
		expect(writeRuleProblems(rules('person', branches)).map((p) => `${p.field}: ${p.words}`)).toEqual([
			'writes.branches.0.branch: Write a path.',
			'writes.branches.2.branch: A stands twice.',
			'writes.branches.3.branch: A path does not climb.'
		]);
	});
});

describe('systems that a package fits', () => {
	const desktop = systemOf('Meridian Desktop 11', 'single');
	test('the one that it was captured on, and those that somebody vouched for, on record', () => {
		expect(desktop).toEqual({ name: 'Meridian Desktop', version: '11', users: 'single' });
		expect(systemOf('Meridian', 'multi')).toEqual({ name: 'Meridian', version: '', users: 'multi' });
		expect(systemWords(desktop)).toBe('Meridian Desktop 11, single-user');
		expect(fitsSystem(desktop, [], desktop).value).toBe(true);
		const server = systemOf('Meridian Server 24', 'multi');
		const no = fitsSystem(desktop, [], server);
		expect(no.value).toBe(false);
		expect(no.facts.map((f) => f.words).join()).toMatch(/another family.*nobody has vouched/);
		const yes = fitsSystem(desktop, [{ system: server, by: 'Runa', at: 5, why: 'tried on two' }], server);
		expect(yes).toMatchObject({ value: true });
		expect(yes.facts.at(-1)).toMatchObject({ words: 'Runa vouches for it: tried on two', at: 5 });
		expect(fitsSystem(desktop, [], { ...desktop, version: '10' }).facts[1]!.words).toMatch(/another version/);
		expect(fitsSystem(desktop, [], { ...desktop, users: 'multi' }).facts[1]!.words).toMatch(
			/for many users, not for one|for many, not|many users/
		);
	});
});

describe('clashes', () => {
	const claim = (what: string, content: string, kind: Claim['kind'] = 'file'): Claim => ({ kind, what, content });
	test('the same thing with other content, won by the order; the same content is none', () => {
		const pairs = findClashes([
			{ id: 'b', order: 2, claims: [claim('x', '1'), claim('y', '1'), claim('.pdf', 'b', 'file type')] },
			{ id: 'a', order: 5, claims: [claim('x', '2'), claim('y', '1'), claim('.pdf', 'a', 'file type')] },
			{ id: 'c', order: 1, claims: [claim('x', '1'), claim('z', '9')] }
		]);
		expect(pairs).toHaveLength(2);
		expect(pairs[0]).toMatchObject({ a: 'b', b: 'a', total: 2, counts: { file: 1, 'file type': 1 } });
		expect(pairs[0]!.clashes[0]).toEqual({ kind: 'file', what: 'x', wins: 'b', loses: 'a' });
		expect(pairs[1]).toMatchObject({ a: 'a', b: 'c', total: 1 });
		expect(pairs[1]!.clashes[0]).toMatchObject({ wins: 'c', loses: 'a' });
		expect(clashWords(pairs[0]!.counts)).toBe('1 file and 1 file type');
		expect(clashWords({ file: 0, setting: 2, 'file type': 0, service: 1, port: 1 })).toBe(
			'2 settings, 1 service and 1 port'
		);
	});
	test('a path and a setting of one name are two things; a package does not clash with itself', () => {
		expect(
			findClashes([
				{ id: 'a', order: 1, claims: [claim('x', '1'), claim('x', '2')] },
				{ id: 'b', order: 1, claims: [claim('x', '1', 'setting')] }
			])
		).toEqual([]);
	});
	test('agrees with comparing every pair by hand; counts all, names some', () => {
		// In folders of which one begins like another, in no order.
		const folders = ['', 'a/', 'a/b/', 'a/bc/', 'a/b/c/'];
		const claims = (seed: number) =>
			Array.from({ length: 1200 }, (_v, i) => {
				const f = (i * seed) % 1300;
				return claim(`${folders[f % 5]}f${f}`, String((i * seed) % 3));
			});
		const packages = [3, 7, 11, 17].map((s, i) => ({ id: `p${i}`, order: i, claims: claims(s) }));
		const found = findClashes(packages);
		for (const p of packages)
			for (const q of packages) {
				if (p.order >= q.order) continue;
				const [x, y] = [p, q].map((k) => {
					const map = new Map<string, string>();
					for (const c of k.claims) if (!map.has(c.what)) map.set(c.what, c.content);
					return map;
				}) as [Map<string, string>, Map<string, string>];
				const expected = [...x].filter(([k, v]) => y.has(k) && y.get(k) !== v).length;
				const pair = found.find((f) => f.a === p.id && f.b === q.id);
				expect(pair?.total ?? 0).toBe(expected);
				expect(pair?.clashes.length ?? 0).toBe(Math.min(DETAILS, expected));
			}
	});
});
