/**
 * An inventory: what files and settings a computer had at one moment, as JSON Lines. The first line is a heading, every
 * other one an entry: files in the order of their paths, then settings in the order of their keys and names, each once.
 * docs/packages.md tells the format line by line; its JSON Schema is `inventorySchema`.
 */

/** The system that an inventory was taken on. A package fits no other, unless somebody vouches for it. */
export interface SystemKind {
	/** The family, such as `Meridian Desktop`. */
	name: string;
	version: string;
	users: 'single' | 'multi';
}

export interface InventoryHeading {
	/** Version of the format. */
	inventory: 1;
	/** The computer, or the folder, that it was taken of. */
	of: string;
	/** Ms UTC. */
	at: number;
	system?: SystemKind;
	/** Restarts that were pending when it was taken. */
	restartsPending?: number;
	/** Programs that the system says are installed. */
	programs?: string[];
}

export interface FileEntry {
	/** A whole path with `/` between its parts: `C:/Program Files/Logline/logline.exe`, `opt/logline/bin`. */
	file: string;
	kind: 'file' | 'folder' | 'link';
	/** Bytes; 0 for folders and links. */
	size: number;
	/** Permissions, four octal digits. */
	mode: string;
	/** Last change of the content, ms UTC. */
	mtime: number;
	/** Of a file's content, 64 hexadecimal digits. */
	sha256?: string;
	/** Where a link leads, as it is written in it. */
	target?: string;
}

/** `expandable`: text in which names of variables stand for what they are; `flag`: true or false. */
export const SETTING_TYPES = ['text', 'expandable', 'number', 'flag', 'list', 'bytes'] as const;
export type SettingType = (typeof SETTING_TYPES)[number];

export interface SettingEntry {
	/** Path of the key with `/` between its parts: `Machine/Software/Logline`. */
	setting: string;
	/** Name of the value in it; empty for the key's own. */
	name: string;
	type: SettingType;
	/** Text; a number as it is written; lines of a list; hexadecimal digits of bytes. */
	value: string;
}

export type InventoryEntry = FileEntry | SettingEntry;

export const isFile = (e: InventoryEntry): e is FileEntry => 'file' in e;

/** What tells two entries of one inventory apart, and puts them in order as text: no path has a NUL in it. */
export const entryKey = (e: InventoryEntry): string => (isFile(e) ? e.file : `${SETTINGS_LAST}${e.setting}\0${e.name}`);

/** Comes behind whatever a path begins with. */
const SETTINGS_LAST = '\uffff';

/** Orders entries as an inventory has them. */
export const byKey = (a: InventoryEntry, b: InventoryEntry): number => {
	const [x, y] = [entryKey(a), entryKey(b)];
	return x < y ? -1 : x > y ? 1 : 0;
};

/** The last part of a path. */
export const baseName = (path: string): string => path.slice(path.lastIndexOf('/') + 1);

/** All but the last part of a path; empty for a path of one part. */
export const folderOf = (path: string): string => {
	const cut = path.lastIndexOf('/');
	return cut < 0 ? '' : path.slice(0, cut);
};

/** A line of an inventory that cannot be read. Lines and columns count from 1. */
export class InventoryProblem extends Error {
	constructor(
		readonly line: number,
		readonly column: number,
		message: string
	) {
		super(message);
		this.name = 'InventoryProblem';
	}
}

const KINDS: ReadonlySet<unknown> = new Set(['file', 'folder', 'link']);
const TYPES: ReadonlySet<unknown> = new Set(SETTING_TYPES);
const SHA256 = /^[0-9a-f]{64}$/;
const MODE = /^[0-7]{4}$/;

/**
 * Reads an inventory line by line, so that it never has to be in memory whole.
 * Throws InventoryProblem at the first line that is wrong: not JSON, a field that is missing or of another type, a path that
 * is empty or climbs, an entry that stands twice or out of order.
 */
export class InventoryReader {
	private line = 0;
	private head: InventoryHeading | null = null;
	/** Key of the entry before. */
	private last = '';

	/** The heading; throws when no line has been read yet. */
	get heading(): InventoryHeading {
		if (!this.head)
			throw new InventoryProblem(1, 1, 'the file is empty: the first line is the heading of the inventory');
		return this.head;
	}

	/** Whether the heading has been read. */
	get headed(): boolean {
		return this.head !== null;
	}

	/** One line without its line break; null for the heading and for an empty line. */
	read(text: string): InventoryEntry | null {
		this.line++;
		if (text === '') return null;
		let value: unknown;
		try {
			value = JSON.parse(text);
		} catch (e) {
			const at = Number(/position (\d+)/.exec((e as Error).message)?.[1] ?? 0);
			throw new InventoryProblem(this.line, at + 1, 'this is not JSON');
		}
		if (typeof value !== 'object' || value === null || Array.isArray(value)) throw this.wrong('an entry is an object');
		if (!this.head) {
			this.head = this.readHeading(value as Record<string, unknown>);
			return null;
		}
		const entry = 'file' in value ? this.readFile(value as FileEntry) : this.readSetting(value as SettingEntry);
		this.inOrder(entryKey(entry));
		return entry;
	}

	/** Key of the entry that was read last. */
	get key(): string {
		return this.last;
	}

	/** Passes over a line that is known to be right, with its key where that is known too; its place is looked at all the same. */
	pass(text: string, key = keyOfLine(text) ?? entryKey(JSON.parse(text) as InventoryEntry)): void {
		this.line++;
		this.inOrder(key);
	}

	private inOrder(key: string): void {
		if (key > this.last) {
			this.last = key;
			return;
		}
		const shown = (k: string) => k.replace(SETTINGS_LAST, '').replace('\0', ' ').trim();
		throw this.wrong(
			key === this.last
				? `${shown(key)} stands twice`
				: `${shown(key)} stands behind ${shown(this.last)}: files are in the order of their paths, then settings in that of their keys and names`
		);
	}

	/** A problem with the line that was read last. */
	wrong(message: string): InventoryProblem {
		return new InventoryProblem(this.line, 1, message);
	}

	private readHeading(h: Record<string, unknown>): InventoryHeading {
		if (h.inventory !== 1)
			throw this.wrong(
				'inventory' in h
					? `inventories of format ${String(h.inventory)} are not known here; this reads format 1`
					: 'the first line is no heading: it has no field “inventory”'
			);
		if (typeof h.of !== 'string' || h.of === '') throw this.wrong('the heading does not say what the inventory is of');
		if (!whole(h.at)) throw this.wrong('the heading has no time “at” in ms');
		const system = h.system as SystemKind | undefined;
		if (
			system !== undefined &&
			(typeof system.name !== 'string' ||
				typeof system.version !== 'string' ||
				(system.users !== 'single' && system.users !== 'multi'))
		)
			throw this.wrong('the system of the heading has a name, a version, and users: single or multi');
		return h as unknown as InventoryHeading;
	}

	private readFile(e: FileEntry): FileEntry {
		if (typeof e.file !== 'string' || e.file === '') throw this.wrong('“file” is a path');
		if (climbs(e.file)) throw this.wrong(`the path ${e.file} climbs or begins with a slash`);
		if (!KINDS.has(e.kind)) throw this.wrong('“kind” is file, folder or link');
		if (typeof e.mode !== 'string' || !MODE.test(e.mode)) throw this.wrong('“mode” is four octal digits');
		if (!whole(e.size)) throw this.wrong('“size” is a whole number of bytes');
		if (!whole(e.mtime)) throw this.wrong('“mtime” is a whole number of ms');
		if (e.kind === 'file' && (typeof e.sha256 !== 'string' || !SHA256.test(e.sha256)))
			throw this.wrong('a file has its “sha256”: 64 hexadecimal digits');
		if (e.kind === 'link' && typeof e.target !== 'string') throw this.wrong('a link has a “target”');
		return e;
	}

	private readSetting(e: SettingEntry): SettingEntry {
		if (typeof e.setting !== 'string' || e.setting === '') throw this.wrong('an entry has a “file” or a “setting”');
		if (typeof e.name !== 'string') throw this.wrong('a setting has a “name”');
		if (!TYPES.has(e.type)) throw this.wrong(`“type” is ${SETTING_TYPES.join(', ')}`);
		if (typeof e.value !== 'string') throw this.wrong('“value” is text');
		return e;
	}
}

const FILE_LINE = '{"file":"';
/** The key of a file's line as it is usually written, without taking the line apart; null where that does not do. */
function keyOfLine(text: string): string | null {
	if (!text.startsWith(FILE_LINE)) return null;
	const end = text.indexOf('"', FILE_LINE.length);
	const path = text.slice(FILE_LINE.length, end);
	return path.includes('\\') ? null : path;
}

const whole = (n: unknown): n is number => typeof n === 'number' && Number.isSafeInteger(n) && n >= 0;

/** Whether a path leaves the folder that it is meant in: a slash first, or a part that is `..`, `.` or empty. */
export function climbs(path: string): boolean {
	if (path.charCodeAt(0) === 47) return true;
	// The cheap question first: half a million paths are asked.
	if (!path.includes('//') && !path.includes('./') && !path.endsWith('.') && !path.endsWith('/')) return false;
	return path.split('/').some((part) => part === '' || part === '.' || part === '..');
}

/** An entry or a heading as a line, without the line break; fields in the order of the format. */
export function inventoryLine(e: InventoryEntry | InventoryHeading): string {
	if ('inventory' in e)
		return JSON.stringify({
			inventory: 1,
			of: e.of,
			at: e.at,
			system: e.system,
			restartsPending: e.restartsPending,
			programs: e.programs
		});
	return isFile(e)
		? JSON.stringify({
				file: e.file,
				kind: e.kind,
				size: e.size,
				mode: e.mode,
				mtime: e.mtime,
				sha256: e.sha256,
				target: e.target
			})
		: JSON.stringify({ setting: e.setting, name: e.name, type: e.type, value: e.value });
}

const withoutReturn = (line: string): string => (line.endsWith('\r') ? line.slice(0, -1) : line);

/** Parts of text as lines without their line breaks, across the borders of the parts; the last one need not end in a line break. */
export async function* linesOf(parts: AsyncIterable<string> | Iterable<string>): AsyncGenerator<string[]> {
	let rest = '';
	for await (const part of parts) {
		const lines = (rest + part).split('\n');
		rest = lines.pop()!;
		if (lines.length) yield part.includes('\r') || lines[0]!.endsWith('\r') ? lines.map(withoutReturn) : lines;
	}
	if (rest !== '') yield [withoutReturn(rest)];
}

/** JSON Schema (2020-12) of one line of an inventory. */
export const inventorySchema = {
	$schema: 'https://json-schema.org/draft/2020-12/schema',
	title: 'One line of a Sextant inventory',
	oneOf: [
		{
			title: 'Heading: the first line',
			type: 'object',
			required: ['inventory', 'of', 'at'],
			properties: {
				inventory: { const: 1 },
				of: { type: 'string', minLength: 1, description: 'The computer or folder that it was taken of' },
				at: { type: 'integer', minimum: 0, description: 'When, ms UTC' },
				system: {
					type: 'object',
					required: ['name', 'version', 'users'],
					properties: {
						name: { type: 'string' },
						version: { type: 'string' },
						users: { enum: ['single', 'multi'] }
					}
				},
				restartsPending: { type: 'integer', minimum: 0 },
				programs: { type: 'array', items: { type: 'string' } }
			}
		},
		{
			title: 'A file, folder or link',
			type: 'object',
			required: ['file', 'kind', 'size', 'mode', 'mtime'],
			properties: {
				file: { type: 'string', minLength: 1, description: 'Path with / between its parts; no slash first, no ..' },
				kind: { enum: ['file', 'folder', 'link'] },
				size: { type: 'integer', minimum: 0, description: 'Bytes' },
				mode: { type: 'string', pattern: '^[0-7]{4}$' },
				mtime: { type: 'integer', minimum: 0, description: 'Ms UTC' },
				sha256: { type: 'string', pattern: '^[0-9a-f]{64}$', description: 'Of a file’s content' },
				target: { type: 'string', description: 'Where a link leads' }
			},
			allOf: [
				{ if: { properties: { kind: { const: 'file' } } }, then: { required: ['sha256'] } },
				{ if: { properties: { kind: { const: 'link' } } }, then: { required: ['target'] } }
			]
		},
		{
			title: 'A setting',
			type: 'object',
			required: ['setting', 'name', 'type', 'value'],
			properties: {
				setting: { type: 'string', minLength: 1, description: 'Path of the key' },
				name: { type: 'string' },
				type: { enum: [...SETTING_TYPES] },
				value: { type: 'string', description: 'Lists: a line for each; bytes: hexadecimal digits' }
			}
		}
	]
} as const;
