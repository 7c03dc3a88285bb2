import { countWords, sizeWords } from '../time/units';
import { bytesOf, type Change } from './difference';
import { baseName, entryKey, folderOf, isFile, type InventoryEntry, type SystemKind } from './inventory';
import { systemFolders, type SystemFolders } from './system-folders';

/** What a change is taken for: part of the app, something that would have happened anyway, or not to be told. */
export type Sort = 'app' | 'noise' | 'doubtful';

export interface Sorted {
	sort: Sort;
	/** Why, as a clause; many changes share one. */
	why: string;
}

/** A rule that knows noise by its path, written with `/` and in lower case. */
interface NoiseRule {
	is: RegExp;
	why: string;
}

const FILE_NOISE: readonly NoiseRule[] = [
	{ is: /(^|\/)(temp|tmp|\.tmp|temporary files)(\/|$)/, why: 'it lies in a folder for temporary files' },
	{ is: /\.(tmp|temp|part|crdownload)$/, why: 'it is a temporary file by its name' },
	{
		is: /(^|\/)(cache|caches|\.cache|code cache|gpucache|shadercache|thumbnails|__pycache__)(\/|$)/,
		why: 'it lies in a cache'
	},
	{ is: /(^|\/)(logs?|log files|event logs)\/|\.(log|evtx|etl|trace)(\.\d+)?$/, why: 'it is a log' },
	{ is: /(^|\/)(crash ?(dumps?|reports?)|error reports)(\/|$)|\.(dmp|mdmp|core)$/, why: 'it is left by a crash' },
	{ is: /(^|\/)(pagefile|swapfile|hiberfil)(\.sys)?$/, why: 'it is memory that was swapped out' },
	{ is: /(^|\/)(recycle bin|\$recycle\.bin|\.trash(-\d+)?|trash)(\/|$)/, why: 'it has been thrown away' },
	{ is: /(^|\/)(prefetch|preload)\//, why: 'the system notes there what was started' },
	{
		is: /(^|\/)(update store|software distribution|pending updates|var\/lib\/apt|var\/cache)(\/|$)/,
		why: 'the system’s own updates write there meanwhile'
	},
	{ is: /(^|\/)(search index|indexer|mlocate|plocate)(\/|$)/, why: 'the file index writes there' },
	{ is: /(^|\/)(recent files|recent|recently-used\.xbel)(\/|$)/, why: 'the system notes there what was opened' },
	{ is: /\.(bak|old|orig|swp)$|~$/, why: 'it is a spare copy by its name' }
];
const SETTING_NOISE: readonly NoiseRule[] = [
	{
		is: /(^|\/)(recent|recentdocs|last used|most used|usage counts?|run count|typed paths)(\/|$)/,
		why: 'the system notes there what was used'
	},
	{ is: /(^|\/)(window positions?|window placement|bags|view state)(\/|$)/, why: 'it remembers where a window stood' },
	{
		is: /(^|\/)(pending renames?|restart notes|session manager\/pending)(\/|$)/,
		why: 'it is for the next restart only'
	},
	{
		is: /(^|\/)(update state|updates\/state|telemetry|diagnostics)(\/|$)/,
		why: 'the system keeps its own books there'
	},
	{ is: /(^|\/)(leases?|dhcp|network adapters?)(\/|$)/, why: 'it belongs to the network of this very computer' },
	{ is: /(^|\/)(clock|time sync|power history)(\/|$)/, why: 'it changes with the clock' }
];

/** Folders under which programs have folders of their own, in lower case. */
const PROGRAM_ROOTS = [
	/^[a-z]:\/program files( \(x86\))?$/,
	/^[a-z]:\/programs$/,
	/^[a-z]:\/program data$/,
	/^(usr\/)?(local\/)?(opt|lib|libexec|share|games)$/,
	/^usr\/(local\/)?(lib|share|libexec)$/,
	/^(usr\/)?lib\/[a-z0-9_]+-linux-gnu$/,
	/(^|\/)node_modules$/
];
const PERSONS = /^([a-z]:\/users|home|root)\//;
const PERSONS_PROGRAM_ROOTS = /\/(appdata(\/(local|locallow|roaming))?|application data|\.config|\.local\/share)$/;
const SETTING_ROOTS = [/^(machine|person)\/software$/, /^(machine|person)\/software\/[^/]+$/, /^(etc|defaults)$/];
/** Keys that say how programs are started and what opens what. */
const REGISTERING = [
	{ is: /\/(file types|classes|opens with|mime types)(\/|$)/, what: 'registers what it opens' },
	{ is: /\/(services|daemons)(\/|$)/, what: 'registers a service' },
	{ is: /\/(installed programs|uninstall)(\/|$)/, what: 'enters it among the installed programs' },
	{ is: /\/(app paths|start menu|autostart|startup)(\/|$)/, what: 'registers how it is started' }
];
const MENUS = /(^|\/)(start menu|desktop|applications|menus?|icons|pixmaps|metainfo|man\d?|doc)(\/|$)/;

/** What a run without any installation has shown to change by itself. */
export class Learned {
	private readonly keys = new Set<string>();
	private readonly folders = new Map<string, number>();

	constructor(changes: Iterable<Change>) {
		for (const c of changes) {
			this.keys.add(entryKey(c.entry));
			const parent = parentOf(c.entry);
			this.folders.set(parent, (this.folders.get(parent) ?? 0) + 1);
		}
	}

	get size(): number {
		return this.keys.size;
	}

	/** Why an entry is known to change by itself, or null. A folder in which several did is taken to be a place where things do. */
	why(e: InventoryEntry): string | null {
		if (this.keys.has(entryKey(e))) return 'it also changed while nothing was installed';
		const parent = parentOf(e);
		if ((this.folders.get(parent) ?? 0) >= SEVERAL && !PROGRAM_ROOTS.some((r) => r.test(parent.toLowerCase())))
			return `in ${shown(parent)} things also changed while nothing was installed`;
		return null;
	}
}
const SEVERAL = 3;

const parentOf = (e: InventoryEntry): string => (isFile(e) ? folderOf(e.file) : `\0${e.setting}`);
const shown = (parent: string): string => parent.replaceAll('\0', '') || 'the root';

/** A folder that the app made for itself. */
export interface OwnFolder {
	of: 'files' | 'settings';
	path: string;
	/** Changes in it, and their bytes. */
	changes: number;
	bytes: number;
}

/**
 * Folders that the installer made for the app: the topmost of the folders that are new, and the keys right below those under
 * which programs have their own.
 */
export function ownFolders(changes: readonly Change[], system: SystemFolders = systemFolders(null)): OwnFolder[] {
	const added = new Set<string>();
	for (const c of changes)
		if (c.kind === 'added') {
			if (isFile(c.entry)) {
				if (c.entry.kind === 'folder') added.add(c.entry.file);
			} else added.add(`\0${c.entry.setting}`);
		}
	const folders = new Map<string, OwnFolder>();
	const known = new Map<string, string | null>();
	for (const c of changes) {
		if (c.kind !== 'added' && c.kind !== 'moved') continue;
		const e = c.entry;
		const path = isFile(e) ? (e.kind === 'folder' ? e.file : folderOf(e.file)) : e.setting;
		const memo = `${isFile(e) ? 'f' : 's'}${path}`;
		let top = known.get(memo);
		if (top === undefined) known.set(memo, (top = isFile(e) ? topFolder(path, added, system) : topKey(path, system)));
		if (top === null) continue;
		const key = `${isFile(e) ? 'f' : 's'}${top}`;
		let folder = folders.get(key);
		if (!folder) folders.set(key, (folder = { of: isFile(e) ? 'files' : 'settings', path: top, changes: 0, bytes: 0 }));
		folder.changes++;
		folder.bytes += bytesOf(c);
	}
	return [...folders.values()].sort((a, b) => b.bytes - a.bytes || (a.path < b.path ? -1 : 1));
}

/**
 * The topmost new folder on the way to a path: nobody else has anything in it. One right in a folder of the system is no
 * folder of an app, unless programs have their own there.
 */
function topFolder(path: string, added: ReadonlySet<string>, system: SystemFolders): string | null {
	const parts = path.split('/');
	for (let i = 1; i <= parts.length; i++) {
		const at = parts.slice(0, i).join('/');
		if (!added.has(at)) continue;
		const parent = parts
			.slice(0, i - 1)
			.join('/')
			.toLowerCase();
		// A person's own folders come with the first sign-in; an app has its folders below some of them.
		if (PERSONS.test(`${at.toLowerCase()}/`)) {
			if (PERSONS_PROGRAM_ROOTS.test(parent)) return at;
			continue;
		}
		const ours = PROGRAM_ROOTS.some((r) => r.test(parent)) || !system.file(parent);
		return ours ? at : null;
	}
	return null;
}

/** The key right under a root of settings: of `Machine/Software/Harbour works/Logline/Paths` the program’s own. */
function topKey(path: string, system: SystemFolders): string | null {
	if (system.software(path)) return null;
	const parts = path.split('/');
	for (let i = Math.min(parts.length - 1, 3); i >= 1; i--) {
		const parent = parts.slice(0, i).join('/').toLowerCase();
		if (SETTING_ROOTS.some((r) => r.test(parent))) return parts.slice(0, i + 1).join('/');
	}
	return null;
}

/**
 * Sorts changes: noise by what was learned and by rules; the app by the folders that it made and by what points into them;
 * the rest is doubtful, because something outside the app’s own folders was changed.
 */
export function sortChanges(
	changes: readonly Change[],
	learned: Learned = new Learned([]),
	/** The system that the changes were made on. */
	system: SystemKind | null = null
): { sorted: Sorted[]; folders: OwnFolder[] } {
	const candidates = changes.filter((c) => noiseOf(c.entry, learned) === null);
	const its = systemFolders(system);
	const folders = ownFolders(candidates, its);
	const files = folders.filter((p) => p.of === 'files').map((p) => p.path);
	const keys = folders.filter((p) => p.of === 'settings').map((p) => p.path);
	const inFiles = insideOf(files);
	const inKeys = insideOf(keys);
	const needles = files.map((f) => f.toLowerCase());
	const names = new Set(files.map((f) => baseName(f).toLowerCase()).filter((n) => n.length > 3));
	const sorted = changes.map((c): Sorted => {
		const e = c.entry;
		const noise = noiseOf(e, learned);
		if (isFile(e)) {
			const own = inFiles(e.file);
			// In the app’s own folders only what was learned is noise: an app may ship a folder called cache.
			if (own !== null) {
				const why = learned.why(e);
				return why && c.kind !== 'added'
					? { sort: 'noise', why }
					: { sort: 'app', why: `it lies in ${own}, which the installer made` };
			}
			if (noise !== null) return { sort: 'noise', why: noise };
			const moved = c.kind === 'moved' ? inFiles(c.was.file) : null;
			if (moved !== null) return { sort: 'app', why: `it was moved out of ${moved}` };
			if (c.kind === 'added' && e.kind === 'link' && e.target !== undefined && pointsInto(e.target, needles))
				return { sort: 'app', why: `it is a link to ${pointsInto(e.target, needles)!}` };
			if (c.kind === 'added' && MENUS.test(e.file.toLowerCase()) && !/^(dev|proc)\//.test(e.file))
				return { sort: 'app', why: 'it is a new entry of a menu, an icon or a page about it' };
			if (c.kind === 'added' && names.has(stem(e.file)))
				return { sort: 'app', why: `it bears the name of ${ownNamed(stem(e.file), files)}` };
			return { sort: 'doubtful', why: doubt(c, its) };
		}
		const own = inKeys(e.setting);
		if (own !== null) return { sort: 'app', why: `it lies in ${own}, which the installer made` };
		if (noise !== null) return { sort: 'noise', why: noise };
		const target = pointsInto(e.value.replaceAll('\\', '/'), needles);
		const registers = REGISTERING.find((r) => r.is.test(`/${e.setting.toLowerCase()}/`));
		if (target !== null)
			return {
				sort: 'app',
				why: registers ? `it ${registers.what}: it points into ${target}` : `its value points into ${target}`
			};
		if (c.kind === 'added' && registers && keys.some((k) => mentions(`${e.setting} ${e.name} ${e.value}`, baseName(k))))
			return { sort: 'app', why: `it ${registers.what}` };
		return { sort: 'doubtful', why: doubt(c, its) };
	});
	emptyOfApp(changes, sorted);
	return { sorted, folders };
}

/** New folders that hold nothing but noise are noise themselves. */
function emptyOfApp(changes: readonly Change[], sorted: Sorted[]): void {
	const [holdsNoise, holdsMore] = [new Set<string>(), new Set<string>()];
	changes.forEach((c, i) => {
		if (!isFile(c.entry) || c.entry.kind === 'folder') return;
		const set = sorted[i]!.sort === 'noise' ? holdsNoise : holdsMore;
		for (let at = folderOf(c.entry.file); at !== '' && !set.has(at); at = folderOf(at)) set.add(at);
	});
	changes.forEach((c, i) => {
		if (c.kind !== 'added' || !isFile(c.entry) || c.entry.kind !== 'folder') return;
		if (holdsNoise.has(c.entry.file) && !holdsMore.has(c.entry.file))
			sorted[i] = { sort: 'noise', why: 'nothing but noise lies in it' };
	});
}

const stem = (path: string) =>
	baseName(path)
		.replace(/\.[^.]*$/, '')
		.toLowerCase();
const ownNamed = (name: string, files: readonly string[]) => files.find((f) => baseName(f).toLowerCase() === name)!;
const mentions = (text: string, name: string) => name.length > 3 && text.toLowerCase().includes(name.toLowerCase());

function noiseOf(e: InventoryEntry, learned: Learned): string | null {
	const known = learned.why(e);
	if (known !== null) return known;
	const path = (isFile(e) ? e.file : `${e.setting}/${e.name}`).toLowerCase();
	for (const rule of isFile(e) ? FILE_NOISE : SETTING_NOISE) if (rule.is.test(path)) return rule.why;
	return null;
}

function doubt(c: Change, its: SystemFolders): string {
	const e = c.entry;
	const path = isFile(e) ? e.file : e.setting;
	const system = isFile(e) && its.file(path);
	switch (c.kind) {
		case 'removed':
			return 'it was removed, and lay outside the app’s own folders: something else may need it';
		case 'mode':
			return 'its permissions were changed, outside the app’s own folders';
		case 'moved':
			return 'it was moved, outside the app’s own folders';
		case 'changed':
			return system
				? 'a file of the system was changed: other programs use it, too'
				: 'it was there before, outside the app’s own folders, and was changed';
		case 'added':
			return system
				? 'it was put into a folder of the system: other programs may find it there'
				: 'it is new, outside the app’s own folders';
	}
}

/** Which of some folders a path lies in, or null; asked by looking up each part of the path once. */
function insideOf(folders: readonly string[]): (path: string) => string | null {
	const set = new Set(folders);
	const lengths = [...new Set(folders.map((p) => p.split('/').length))].sort((a, b) => a - b);
	return (path) => {
		if (set.size === 0) return null;
		let at = 0;
		let part = 0;
		for (const want of lengths) {
			while (part < want) {
				const next = path.indexOf('/', at + (part ? 1 : 0));
				at = next < 0 ? path.length : next;
				part++;
				if (next < 0 && part < want) return null;
			}
			const prefix = path.slice(0, at);
			if (set.has(prefix)) return prefix;
			if (at === path.length) return null;
		}
		return null;
	};
}

/** The folder that a text names, or null. */
function pointsInto(text: string, needles: readonly string[]): string | null {
	if (needles.length === 0 || text.length < 4) return null;
	const lower = text.toLowerCase();
	return needles.find((n) => lower.includes(n)) ?? null;
}

/** How many changes there are of each sort, and their bytes. */
export function totalsOf(
	changes: readonly Change[],
	sorted: readonly Sorted[]
): Record<Sort, { changes: number; bytes: number }> {
	const totals = {
		app: { changes: 0, bytes: 0 },
		noise: { changes: 0, bytes: 0 },
		doubtful: { changes: 0, bytes: 0 }
	};
	changes.forEach((c, i) => {
		const t = totals[sorted[i]!.sort];
		t.changes++;
		t.bytes += bytesOf(c);
	});
	return totals;
}

/** The app’s folders in words. */
export const folderWords = (p: OwnFolder): string =>
	`${p.path}, ${p.of === 'files' ? `${sizeWords(p.bytes)} in ${countWords(p.changes, 'entry', 'entries')}` : countWords(p.changes, 'setting')}`;
