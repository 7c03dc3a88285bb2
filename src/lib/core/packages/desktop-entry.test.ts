import { describe, expect, test } from 'vitest';
import { execWords, readMenuEntry, serviceExec } from './desktop-entry';
import { KeyFile } from './key-file';
import { findTargets, type Startable } from './launch';

/** The Desktop Entry Specification 1.5, the D-Bus Specification and the Autostart Specification 0.5, sentence by sentence. */

const entry = (...lines: string[]) => ['[Desktop Entry]', 'Type=Application', ...lines].join('\n');
const read = (...lines: string[]) =>
	readMenuEntry(entry('Name=Gauge', ...lines), 'usr/share/applications/gauge.desktop');
const words = (exec: string) => execWords(exec, { name: 'Gauge talk', icon: 'gauge', path: 'apps/gauge.desktop' });

describe('the form of the file', () => {
	test('lines end with a line feed, with a carriage return before it or not', () => {
		for (const end of ['\n', '\r\n']) expect(new KeyFile(['[A]', 'k=v', 'l=w'].join(end)).text('A', 'l')).toBe('w');
	});
	test('blank lines and those that begin with # say nothing', () => {
		expect(new KeyFile('# k=a\n\n[A]\n#k=b\nk=c#d').text('A', 'k')).toBe('c#d');
	});
	test('keys are case-sensitive, and blanks around the equals sign are none of theirs', () => {
		const file = new KeyFile('[A]\nName =  x y \nNAME=z');
		expect([file.text('A', 'Name'), file.text('A', 'NAME'), file.text('A', 'name')]).toEqual(['x y', 'z', '']);
	});
	test('the first of two keys or groups of one name counts; a key before any group belongs to none', () => {
		const file = new KeyFile('k=0\n[A]\nk=1\nk=2\n[B]\nk=3\n[A]\nk=4\nl=5');
		expect([file.text('A', 'k'), file.text('A', 'l'), file.text('B', 'k')]).toEqual(['1', '', '3']);
	});
	test('keys of other characters are no keys; a locale makes a key of its own', () => {
		const file = new KeyFile('[A]\nK y=1\nName[nb_NO]=Måler\nName=Gauge');
		expect([file.text('A', 'K y'), file.text('A', 'Name'), file.text('A', 'Name[nb_NO]')]).toEqual([
			'',
			'Gauge',
			'Måler'
		]);
	});
	test('escapes: blank, line feed, tab, carriage return, backslash; others stay as they stand', () => {
		expect(new KeyFile('[A]\nk=a\\sb\\nc\\td\\re\\\\sf\\q').text('A', 'k')).toBe('a b\nc\td\re\\sf\\q');
	});
	test('a list is parted by semicolons, the last one optional, and a semicolon of a value has a backslash', () => {
		const file = new KeyFile('[A]\nk=a;b\\;c;d;\nl=a;b\nm=;;\nn=a\\\\;b');
		expect(file.list('A', 'k')).toEqual(['a', 'b;c', 'd']);
		expect(file.list('A', 'l')).toEqual(['a', 'b']);
		expect(file.list('A', 'm')).toEqual([]);
		expect(file.list('A', 'n')).toEqual(['a\\', 'b']);
	});
	test('a byte order mark, a group without its end and a line without a sign are passed over', () => {
		expect(new KeyFile('\uFEFF[A]\nk=1\n[B\nk=2\nnothing').text('A', 'k')).toBe('1');
	});
});

describe('the Exec key', () => {
	test.each<[string, string, string[] | null]>([
		['words are parted by blanks, of which several are one', 'gauge   --new\tnow', ['gauge', '--new', 'now']],
		['a word in quotation marks is whole', '"/opt/a b/gauge" "x  y"', ['/opt/a b/gauge', 'x  y']],
		['an empty one is a word', 'gauge ""', ['gauge', '']],
		[
			'quotation mark, grave accent, dollar and backslash have a backslash in it',
			'"a\\"b\\`c\\$d\\\\e"',
			['a"b`c$d\\e']
		],
		['other backslashes in it stay', '"C:\\x"', ['C:\\x']],
		['a quotation mark without its other is no command', 'gauge "x', null],
		['a doubled per cent sign is one', 'gauge 100%% "50%%"', ['gauge', '100%', '50%']],
		['file codes are left out where nothing is opened', 'gauge %f -x', ['gauge', '-x']],
		['so are those for several files and for addresses', 'gauge %U', ['gauge']],
		['codes in quotation marks are none', 'gauge "%f"', ['gauge', '%f']],
		['an option that only carries a file goes with it', 'gauge --open=%u --new', ['gauge', '--new']],
		['a short one as well', 'gauge -f%f', ['gauge']],
		['and one that begins with a slash', 'gauge /open:%f', ['gauge']],
		['what carries more than a file stays', 'gauge file:%f', ['gauge', 'file:']],
		['more than one file code is no command', 'gauge %f %U', null],
		['an unknown code is no command', 'gauge %z', null],
		['nor is a sign with nothing behind it', 'gauge %', null],
		['codes of older versions are left out', 'gauge %d %D %n %N %v %m x%nz', ['gauge', 'xz']],
		['the icon is two words', 'gauge %i', ['gauge', '--icon', 'gauge']],
		['the name is one word, whatever is in it', 'gauge --title %c', ['gauge', '--title', 'Gauge talk']],
		['the entry is named by where it lies', 'gauge %k', ['gauge', 'apps/gauge.desktop']]
	])('%s', (_what, exec, expected) => {
		expect(words(exec)).toEqual(expected);
	});
	test('without an icon there is no option for one', () => {
		expect(execWords('gauge %i', { name: 'G', icon: '', path: 'x' })).toEqual(['gauge']);
	});
	test('escapes of texts are resolved before quotation marks are: two backslashes are one of the two for a quoted one', () => {
		expect(read('Exec="/opt/a\\\\\\\\b" "\\\\$x"')!.target).toMatchObject({
			command: 'opt/a/b',
			arguments: '"\\$x"'
		});
	});
	test('arguments stay whole: a word with blanks is written in quotation marks again', () => {
		const { target } = read('Exec=gauge "two words" --a "x\\\\"y" plain')!;
		expect(target.arguments).toBe('"two words" --a "x\\"y" plain');
		expect(words(`gauge ${target.arguments}`)).toEqual(['gauge', 'two words', '--a', 'x"y', 'plain']);
	});
	test('a command with an equals sign, or none at all, starts nothing', () => {
		expect(read('Exec=A=1 gauge')).toBeNull();
		expect(read('Exec=')).toBeNull();
		expect(read('Exec=""')).toBeNull();
	});
});

describe('the other keys', () => {
	test.each([['Type=Link'], ['Type=Directory'], ['NoDisplay=true'], ['Hidden=true']])('%s starts nothing', (line) => {
		expect(readMenuEntry(`[Desktop Entry]\n${line}\nName=Gauge\nExec=gauge`, 'x.desktop')).toBeNull();
	});
	test('true and false are written just so: TRUE hides nothing', () => {
		expect(read('Exec=gauge', 'Hidden=TRUE', 'NoDisplay=false')).not.toBeNull();
	});
	test('without a name it is none; a name of one locale alone is no name', () => {
		expect(readMenuEntry(entry('Exec=gauge', 'Name[nb]=Måler'), 'x.desktop')).toBeNull();
	});
	test('Terminal, Path, Icon and MimeType', () => {
		expect(
			read('Exec=gauge', 'Terminal=true', 'Path=/opt/gauge', 'Icon=/opt/gauge/opt/g.png', 'MimeType=a/b;c/d;a/b;')!
				.target
		).toEqual({
			name: 'Gauge',
			command: 'gauge',
			arguments: '',
			folder: 'opt/gauge',
			icon: 'opt/gauge/opt/g.png',
			opens: ['a/b', 'c/d'],
			terminal: true,
			from: 'usr/share/applications/gauge.desktop'
		});
		expect(read('Exec=gauge')!.target.terminal).toBe(false);
	});
	test('actions are groups of their own: what they start is not what the entry starts, but can be had', () => {
		const lines = [
			'Actions=new;all;gone;nameless;new;mute;',
			'Exec=gauge %F',
			'Path=/opt/gauge',
			'Icon=gauge',
			'Terminal=true',
			...['[Desktop Action new]', 'Name=New gauge', 'Exec=gauge --new %i', 'Icon=gauge-new'],
			...['[Desktop Action all]', 'Name=All', 'Exec="gauge all" %U'],
			...['[Desktop Action nameless]', 'Exec=gauge --x'],
			// Without a command of its own it is told over the session bus, or not at all.
			...['[Desktop Action mute]', 'Name=Mute'],
			...['[Desktop Action other]', 'Name=Not listed', 'Exec=gauge --other']
		];
		const { target, actions } = read(...lines)!;
		expect(target).toMatchObject({ name: 'Gauge', arguments: '' });
		expect(actions).toEqual([
			{ ...target, name: 'Gauge: New gauge', arguments: '--new --icon gauge-new', icon: 'gauge-new' },
			{ ...target, name: 'Gauge: All', command: 'gauge all' }
		]);
	});
	test('actions stand behind all that is opened by itself, and are not proposed', () => {
		const groups = targets([
			file(
				'usr/share/applications/gauge.desktop',
				entry('Name=Gauge', 'Exec=gauge', 'Actions=new;same;', '[Desktop Action new]', 'Name=New', 'Exec=gauge --new') +
					'\n[Desktop Action same]\nName=Again\nExec=gauge\n'
			),
			file('usr/bin/gauge', '', '0755'),
			file('usr/bin/other', '', '0755')
		]);
		expect(groups.map((g) => g.best.name)).toEqual(['Gauge', 'other', 'Gauge: New']);
		expect(groups[2]!.problems[0]!.words).toMatch(/an action of its menu entry/);
		expect(groups[0]!.problems.map((p) => p.words).join()).not.toMatch(/action/);
	});
});

const text = (s: string) => new TextEncoder().encode(s);
const file = (path: string, content = '', mode = '0644'): Startable => ({ path, mode, read: () => text(content) });
const targets = (files: Startable[], system: string[] = []) => {
	const paths = new Set([...files.map((f) => f.path), ...system]);
	return findTargets(files, (p) => paths.has(p));
};
const MENU = 'usr/share/applications/org.example.Gauge.desktop';
const SERVICE = 'usr/share/dbus-1/services/org.example.Gauge.service';

describe('in a capture', () => {
	test('an entry that the session bus activates, without Exec, starts what the service of its name does', () => {
		const files = [
			file(MENU, entry('Name=Gauge', 'DBusActivatable=true', 'Icon=/opt/g.png')),
			file(SERVICE, '[D-BUS Service]\nName=org.example.Gauge\nExec=/opt/gauge/bin/gauge --service'),
			file('opt/gauge/bin/gauge', '', '0755'),
			file('opt/g.png')
		];
		const [found] = targets(files);
		expect(found!.best).toMatchObject({ name: 'Gauge', command: 'opt/gauge/bin/gauge', arguments: '--service' });
		expect(found!.problems).toEqual([]);
		// Not by another service, and not without one.
		expect(serviceExec('[D-BUS Service]\nName=org.example.Other\nExec=x', 'org.example.Gauge')).toBeNull();
		expect(targets([files[0]!])).toEqual([]);
	});
	test('its Exec counts where it has one: it is written for those without a bus', () => {
		const [found] = targets([
			file(MENU, entry('Name=Gauge', 'DBusActivatable=true', 'Exec=/opt/gauge/bin/other')),
			file(SERVICE, '[D-BUS Service]\nName=org.example.Gauge\nExec=/opt/gauge/bin/gauge')
		]);
		expect(found!.best.command).toBe('opt/gauge/bin/other');
	});
	test('TryExec that is not there is pointed out; by its path, or by its name in the folders for programs', () => {
		const problems = (tryExec: string, system: string[] = []) =>
			targets(
				[file(MENU, entry('Name=G', 'Exec=gauge', 'Icon=/opt/g.png', `TryExec=${tryExec}`)), file('opt/g.png')],
				system
			)[0]!
				.problems.map((p) => p.words)
				.filter((w) => w.startsWith('menus'));
		expect(problems('/opt/gauge/gauge')).toEqual([
			'menus leave it out: opt/gauge/gauge, which it asks for, is not there'
		]);
		expect(problems('/opt/gauge/gauge', ['opt/gauge/gauge'])).toEqual([]);
		expect(problems('gauge')).toHaveLength(1);
		expect(problems('gauge', ['usr/local/bin/gauge'])).toEqual([]);
	});
	test('what starts at sign-in is no way for people to open it, and comes after a menu entry for the same', () => {
		const auto = file('etc/xdg/autostart/gauge.desktop', entry('Name=Gauge watcher', 'Exec=/opt/g', 'Icon=/opt/g.png'));
		const alone = targets([auto, file('opt/g.png'), file('opt/g', '', '0755')]);
		expect(alone[0]!.problems.map((p) => p.words)).toEqual(['it starts by itself at each sign-in: nobody opens it']);
		const both = targets([
			auto,
			file(MENU, entry('Name=Gauge', 'Exec=/opt/g', 'Icon=/opt/g.png')),
			file('opt/g.png'),
			file('opt/g')
		]);
		expect(both).toHaveLength(1);
		expect(both[0]!.best.name).toBe('Gauge');
		expect(both[0]!.problems).toEqual([]);
	});
	test('an entry that cannot be read is passed over', () => {
		expect(targets([{ path: MENU, mode: '0644', read: () => null }])).toEqual([]);
	});
	test('a name without a path is the picture of that name, and one that means nothing is pointed out', () => {
		const menu = file(MENU, entry('Name=Gauge', 'Exec=/opt/g', 'Icon=org.example.Gauge'));
		const own = 'usr/share/icons/hicolor/scalable/apps/org.example.Gauge.svg';
		expect(targets([menu, file(own), file('opt/g')])[0]).toMatchObject({ best: { icon: own }, problems: [] });
		const system = 'usr/share/pixmaps/org.example.Gauge.png';
		expect(targets([menu, file('opt/g')], [system])[0]!.best.icon).toBe(system);
		expect(targets([menu, file('opt/g')])[0]!.problems.map((p) => p.words)).toEqual([
			'its icon org.example.Gauge is in no icon theme, neither its own nor the system’s'
		]);
	});
});
