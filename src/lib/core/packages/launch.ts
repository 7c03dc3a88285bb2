import type { Fact } from '../why/explained';
import { plainPath, readMenuEntry, serviceExec } from './desktop-entry';
import { iconFile } from './icon-theme';
import { baseName, folderOf } from './inventory';
import type { LaunchTarget } from './launch-target';

/** A file among those captured that may say what can be started. */
export interface Startable {
	path: string;
	mode: string;
	/** Its bytes, only asked of what describes a start or an icon; null where it cannot be read, or is larger than such files are. */
	read: () => Uint8Array | null;
}

/** Several ways to start the same thing, the best one first. */
export interface TargetGroup {
	best: LaunchTarget;
	others: LaunchTarget[];
	/** Why the best one is. */
	facts: Fact[];
	/** What people would stumble over. */
	problems: Fact[];
}

const ENTRY = /\.desktop$/i;
const SHORTCUT = /\.lnk$/i;
const PROGRAM = /\.(exe|com|bat|cmd|ps1|sh|appimage|jar)$/i;
/** What the session bus starts, by name (D-Bus Specification, “Message Bus Starting Services”). */
const SERVICE = /(^|\/)dbus-1\/(system-)?services\/[^/]+\.service$/i;
/** Entries that are started at sign-in (Desktop Application Autostart Specification 0.5, freedesktop.org). */
const AUTOSTART = /(^|\/)(autostart|startup)\/[^/]+$/i;
/** Where a program is looked for that is named without its folder. */
const PROGRAM_FOLDERS = ['usr/local/bin', 'usr/bin', 'bin', 'usr/local/sbin', 'usr/sbin', 'sbin', 'usr/games'];
const PICTURE = /\.(png|svg|xpm)$/i;
/** Pixels of a tile on the shelf, on a dense screen. */
const ICON_SIZE = 96;
/** Where the system keeps a picture of this name (`*`), as its own themes have it. */
const SYSTEM_PICTURES = [
	'usr/share/icons/hicolor/scalable/apps/*.svg',
	'usr/share/icons/hicolor/128x128/apps/*.png',
	'usr/share/icons/hicolor/64x64/apps/*.png',
	'usr/share/icons/hicolor/48x48/apps/*.png',
	'usr/share/pixmaps/*.png',
	'usr/share/pixmaps/*.svg',
	'usr/share/pixmaps/*.xpm'
];
const HELPER = /(unins|setup|install|update|crash|report|helper|service|daemon|repair|register)/i;
/** Names of icons that stand for “some program”. */
const GENERIC_ICONS = new Set([
	'',
	'application',
	'application-x-executable',
	'exec',
	'executable',
	'default',
	'generic',
	'program',
	'app',
	'system-run',
	'unknown',
	'text-x-script',
	'applications-other',
	'file',
	'window',
	'setup',
	'installer'
]);

/**
 * A shortcut in the Shell Link Binary File Format ([MS-SHLLINK], an open specification): the local base path, arguments,
 * working folder and icon. Null for what is none, or leads to no file.
 */
export function readShortcut(bytes: Uint8Array, path: string): Omit<LaunchTarget, 'id'> | null {
	const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
	try {
		if (view.getUint32(0, true) !== 0x4c) return null;
		const flags = view.getUint32(20, true);
		let at = 76;
		if (flags & 1) at += 2 + view.getUint16(at, true);
		let command = '';
		if (flags & 2) {
			const size = view.getUint32(at, true);
			const header = view.getUint32(at + 4, true);
			if (view.getUint32(at + 8, true) & 1) {
				const wideAt = header >= 0x24 ? view.getUint32(at + 28, true) : 0;
				command = wideAt ? wide(view, at + wideAt) : narrow(bytes, at + view.getUint32(at + 16, true));
			}
			at += size;
		}
		const unicode = (flags & 0x80) !== 0;
		const text = (flag: number): string => {
			if (!(flags & flag)) return '';
			const length = view.getUint16(at, true);
			at += 2;
			let value = '';
			for (let i = 0; i < length; i++)
				value += String.fromCharCode(unicode ? view.getUint16(at + 2 * i, true) : view.getUint8(at + i));
			at += unicode ? 2 * length : length;
			return value;
		};
		const name = text(0x4);
		const relative = text(0x8);
		const folder = text(0x10);
		const args = text(0x20);
		const icon = text(0x40);
		if (!command && relative) command = relative.replace(/^(\.[\\/])+/, folder ? `${folder}/` : '');
		if (!command) return null;
		return {
			name: name || baseName(path).replace(SHORTCUT, ''),
			command: plainPath(command),
			arguments: args,
			folder: plainPath(folder),
			icon: plainPath(icon),
			opens: [],
			terminal: false,
			from: path
		};
	} catch (e) {
		if (e instanceof RangeError) return null;
		throw e;
	}
}

function narrow(bytes: Uint8Array, at: number): string {
	let end = at;
	while (end < bytes.length && bytes[end] !== 0) end++;
	if (end >= bytes.length) throw new RangeError('a text without an end');
	return new TextDecoder('latin1').decode(bytes.subarray(at, end));
}

function wide(view: DataView, at: number): string {
	let text = '';
	for (let i = at; ; i += 2) {
		const c = view.getUint16(i, true);
		if (c === 0) return text;
		text += String.fromCharCode(c);
	}
}

const KINDS_BY_WORTH = ['menu entry', 'shortcut', 'program'] as const;
const kindOf = (t: LaunchTarget): (typeof KINDS_BY_WORTH)[number] =>
	ENTRY.test(t.from) ? 'menu entry' : SHORTCUT.test(t.from) ? 'shortcut' : 'program';

/**
 * What a capture can start: from menu entries, shortcuts, and programs among its files. Those that start the same command with
 * the same arguments are one group, with the one proposed that says most: a menu entry before a shortcut before the bare
 * program, one with an icon of its own before one without, the shorter name of two alike.
 *
 * @param exists whether a path is among the captured files or on the system that the capture was made on
 * @param opens types of files by the command that opens them, as far as settings say
 */
export function findTargets(
	files: Iterable<Startable>,
	exists: (path: string) => boolean,
	opens: ReadonlyMap<string, string[]> = new Map()
): TargetGroup[] {
	const all = [...files];
	const byPath = new Map(all.map((f) => [f.path.toLowerCase(), f]));
	const textOf = (path: string): string | null => {
		const bytes = byPath.get(path.toLowerCase())?.read();
		return bytes ? new TextDecoder().decode(bytes) : null;
	};
	const services = all.filter((f) => SERVICE.test(f.path));
	const activated = (name: string): string | null => {
		for (const f of services) {
			const exec = serviceExec(textOf(f.path) ?? '', name);
			if (exec !== null) return exec;
		}
		return null;
	};
	const pictures = picturesOf(all);
	/** Where a program is that an entry names without its folder. */
	const programAt = (name: string): string | null =>
		name === '' || name.includes('/')
			? name
			: (PROGRAM_FOLDERS.map((folder) => `${folder}/${name}`).find((path) => exists(path)) ?? null);
	const found: LaunchTarget[] = [];
	/** What menus would leave out, by where it was found: the program that it waits for. */
	const waitsFor = new Map<string, string>();
	const complete = (t: Omit<LaunchTarget, 'id'>): LaunchTarget => ({
		...t,
		id: '',
		icon: pictureOf(t.icon, pictures, textOf, exists),
		opens: [...new Set([...t.opens, ...(opens.get(t.command.toLowerCase()) ?? [])])]
	});
	const add = (t: Omit<LaunchTarget, 'id'> | null) => t && found.push(complete(t));
	const actions: LaunchTarget[] = [];
	for (const f of all) {
		if (ENTRY.test(f.path)) {
			const entry = readMenuEntry(textOf(f.path) ?? '', f.path, activated);
			if (entry?.tryExec && !exists(programAt(entry.tryExec) ?? entry.tryExec)) waitsFor.set(f.path, entry.tryExec);
			add(entry?.target ?? null);
			for (const action of entry?.actions ?? []) actions.push(complete(action));
		} else if (SHORTCUT.test(f.path)) add(readShortcut(f.read() ?? new Uint8Array(), f.path));
		else if (
			PROGRAM.test(f.path) ||
			(isRunnable(f.mode) && !baseName(f.path).includes('.') && /(^|\/)s?bin\//.test(f.path))
		)
			add({
				name: baseName(f.path).replace(PROGRAM, ''),
				command: f.path,
				arguments: '',
				folder: '',
				icon: PROGRAM.test(f.path) && /\.exe$/i.test(f.path) ? f.path : '',
				opens: [],
				terminal: false,
				from: f.path
			});
	}
	const groups = new Map<string, LaunchTarget[]>();
	// Commands without a folder are found by their name among those with one.
	const whole = new Map<string, string>();
	for (const t of found) {
		const lower = t.command.toLowerCase();
		if (lower.includes('/') && !whole.has(baseName(lower))) whole.set(baseName(lower), lower);
	}
	const commandOf = (t: LaunchTarget): string => {
		const lower = t.command.toLowerCase();
		return lower.includes('/') ? lower : (whole.get(lower) ?? lower);
	};
	// A bare program that an entry starts, with arguments or without, is no target beside that entry.
	const entries = new Map<string, LaunchTarget>();
	for (const t of found) if (kindOf(t) !== 'program' && !entries.has(commandOf(t))) entries.set(commandOf(t), t);
	for (const t of found) {
		const command = commandOf(t);
		const says = kindOf(t) === 'program' ? (entries.get(command) ?? t) : t;
		const key = `${command} ${says.arguments.trim()}`;
		const list = groups.get(key);
		if (list) list.push(t);
		else groups.set(key, [t]);
	}
	const names = new Set<string>();
	const inOrder = (a: TargetGroup, b: TargetGroup) =>
		worth(b.best) - worth(a.best) || (a.best.name < b.best.name ? -1 : 1);
	const started = new Set(groups.keys());
	return [
		...[...groups.values()].map((list) => rank(list, exists, waitsFor)).sort(inOrder),
		// Behind all that is opened by itself.
		...actions
			.filter((t) => !started.has(`${commandOf(t)} ${t.arguments.trim()}`))
			.map((t) => asAction(rank([t], exists, waitsFor)))
			.sort(inOrder)
	].map((g) => {
		let id =
			g.best.name
				.toLowerCase()
				.replace(/[^a-z0-9]+/g, '-')
				.replace(/^-|-$/g, '') || 'target';
		for (let n = 2; names.has(id); n++) id = `${id.replace(/-\d+$/, '')}-${n}`;
		names.add(id);
		return { ...g, best: { ...g.best, id } };
	});
}

const isRunnable = (mode: string) => (Number.parseInt(mode, 8) & 0o111) !== 0;

/** How much a target is likely to be what people want to start. */
function worth(t: LaunchTarget): number {
	const kind = 2 - KINDS_BY_WORTH.indexOf(kindOf(t));
	return (
		kind * 4 +
		(AUTOSTART.test(t.from) ? -7 : 0) +
		(HELPER.test(t.name) || HELPER.test(baseName(t.command)) ? -6 : 0) +
		(isGeneric(t.icon) ? 0 : 2)
	);
}

const isGeneric = (icon: string): boolean =>
	GENERIC_ICONS.has(
		baseName(icon)
			.replace(/\.(png|svg|ico|xpm)$/i, '')
			.toLowerCase()
	);

/** Pictures by their name without its ending, lower case: a package may have many thousand, and several targets ask. */
function picturesOf(files: readonly Startable[]): Map<string, string[]> {
	const pictures = new Map<string, string[]>();
	for (const { path } of files) {
		if (!PICTURE.test(path)) continue;
		const base = baseName(path).replace(PICTURE, '').toLowerCase();
		const list = pictures.get(base);
		if (list) list.push(path);
		else pictures.set(base, [path]);
	}
	return pictures;
}

/**
 * The file that an icon stands for: itself where it is a path; else what its name means in the icon themes of the capture, or of the
 * system below it. The name, where it means nothing.
 */
function pictureOf(
	icon: string,
	pictures: ReadonlyMap<string, string[]>,
	textOf: (path: string) => string | null,
	exists: (path: string) => boolean
): string {
	if (icon === '' || icon.includes('/') || isGeneric(icon)) return icon;
	const base = icon.replace(PICTURE, '');
	const own = iconFile(icon, ICON_SIZE, 1, pictures.get(base.toLowerCase()) ?? [], textOf);
	if (own) return own;
	return SYSTEM_PICTURES.map((p) => p.replace('*', base)).find((p) => exists(p)) ?? icon;
}

function rank(
	list: LaunchTarget[],
	exists: (path: string) => boolean,
	waitsFor: ReadonlyMap<string, string>
): TargetGroup {
	const ordered = [...list].sort(
		(a, b) => worth(b) - worth(a) || a.name.length - b.name.length || (a.from < b.from ? -1 : 1)
	);
	const [best, ...others] = ordered as [LaunchTarget, ...LaunchTarget[]];
	const facts: Fact[] = [{ words: `it is a ${kindOf(best)}: ${best.from}`, side: 'for', source: 'captured files' }];
	if (!isGeneric(best.icon))
		facts.push({ words: `it has an icon of its own, ${best.icon}`, side: 'for', source: 'captured files' });
	for (const o of others)
		facts.push({
			words: `${o.from} starts the same${kindOf(o) !== kindOf(best) ? `, but is a ${kindOf(o)}` : isGeneric(o.icon) && !isGeneric(best.icon) ? ', but has no icon of its own' : ', and is called ' + o.name}`,
			source: 'captured files'
		});
	const problems: Fact[] = [];
	const broken = (words: string) => problems.push({ words, side: 'against', source: 'captured files' });
	if (best.command.includes('/') && !exists(best.command)) broken(`its command ${best.command} is not there`);
	if (best.folder && !exists(best.folder)) broken(`its folder ${best.folder} is not there`);
	if (best.icon === '') broken('it has no icon');
	else if (isGeneric(best.icon)) broken(`its icon ${best.icon} stands for any program`);
	else if (best.icon.includes('/') && !exists(best.icon.replace(/,-?\d+$/, '')))
		broken(`its icon ${best.icon} is not there`);
	else if (!best.icon.includes('/'))
		broken(`its icon ${best.icon} is in no icon theme, neither its own nor the system’s`);
	if (waitsFor.has(best.from))
		broken(`menus leave it out: ${waitsFor.get(best.from)!}, which it asks for, is not there`);
	if (AUTOSTART.test(best.from)) broken('it starts by itself at each sign-in: nobody opens it');
	if (HELPER.test(best.name) || HELPER.test(baseName(best.command)))
		broken('it looks like a helper of the app, not like something that people start');
	return { best, others, facts, problems };
}

/** What a menu entry can do besides is offered, and not proposed: people find it within the app. */
const asAction = (group: TargetGroup): TargetGroup => ({
	...group,
	problems: [
		{
			words: 'it is an action of its menu entry: people find it within the app',
			side: 'against',
			source: 'captured files'
		},
		...group.problems
	]
});

/** The folder that a target is started in. */
export const startFolder = (t: LaunchTarget): string => t.folder || folderOf(t.command);
