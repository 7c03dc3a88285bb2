import { parseDocument } from 'yaml';
import type { SettingEntry, SettingType } from './inventory';

/** A text of settings that cannot be read. Lines count from 1. */
export class SettingsProblem extends Error {
	constructor(
		readonly line: number,
		message: string
	) {
		super(message);
		this.name = 'SettingsProblem';
	}
}

/** What the roots of a registry export are called in inventories. */
const ROOTS: Record<string, string> = {
	HKEY_LOCAL_MACHINE: 'Machine',
	HKLM: 'Machine',
	HKEY_CURRENT_USER: 'Person',
	HKCU: 'Person',
	HKEY_CLASSES_ROOT: 'Machine/Classes',
	HKCR: 'Machine/Classes',
	HKEY_USERS: 'People'
};

/**
 * Settings of a registry export as text (`.reg`): keys in brackets, values of the types text, `dword`, `hex`, `hex(2)`,
 * `hex(7)`, `hex(b)`, continued with a backslash at the end of a line. Keys and values that a leading minus takes away are none.
 */
export function readRegistryText(text: string): SettingEntry[] {
	const entries: SettingEntry[] = [];
	const lines = text.replace(/^\uFEFF/, '').split(/\r?\n/);
	let key: string | null = null;
	for (let i = 0; i < lines.length; i++) {
		const at = i + 1;
		let line = lines[i]!.trim();
		while (line.endsWith('\\') && !line.startsWith('[') && i + 1 < lines.length)
			line = line.slice(0, -1) + lines[++i]!.trim();
		if (line === '' || line.startsWith(';') || /^(windows registry editor|regedit4|sextant settings)/i.test(line))
			continue;
		const head = /^\[(-?)(.+)\]$/.exec(line);
		if (head) {
			const [root, ...rest] = head[2]!.split('\\');
			const known = ROOTS[root!.toUpperCase()] ?? root!;
			key = head[1] === '-' ? null : [known, ...rest].join('/');
			continue;
		}
		const name = /^(?:@|"((?:[^"\\]|\\.)*)")\s*=/.exec(line);
		if (!name) throw new SettingsProblem(at, `“${line.slice(0, 60)}” is neither a key nor a value`);
		const value = line.slice(name[0].length).trim();
		if (key === null || value === '-') continue;
		entries.push({ setting: key, name: unquote(name[1] ?? ''), ...registryValue(value, at) });
	}
	return entries;
}

const unquote = (s: string) => s.replace(/\\(["\\])/g, '$1');

function registryValue(raw: string, line: number): { type: SettingType; value: string } {
	const text = /^"((?:[^"\\]|\\.)*)"$/.exec(raw);
	if (text) return { type: 'text', value: unquote(text[1]!) };
	const word = /^dword:([0-9a-f]{1,8})$/i.exec(raw);
	if (word) return { type: 'number', value: String(Number.parseInt(word[1]!, 16)) };
	const hex = /^hex(?:\(([0-9a-f]+)\))?:((?:[0-9a-f]{2}(?:,\s*)?)*)$/i.exec(raw);
	if (!hex) throw new SettingsProblem(line, `the value ${raw.slice(0, 40)} is of no type that is known`);
	const bytes = (hex[2]!.match(/[0-9a-f]{2}/gi) ?? []).map((b) => Number.parseInt(b, 16));
	switch ((hex[1] ?? '').toLowerCase()) {
		case '1':
			return { type: 'text', value: beforeNuls(wide(bytes)) };
		case '2':
			return { type: 'expandable', value: beforeNuls(wide(bytes)) };
		case '7':
			return { type: 'list', value: beforeNuls(wide(bytes)).replaceAll('\0', '\n') };
		case 'b': {
			const n = bytes.reduceRight((sum, b) => sum * 256n + BigInt(b), 0n);
			return { type: 'number', value: n.toString() };
		}
		default:
			return { type: 'bytes', value: bytes.map((b) => b.toString(16).padStart(2, '0')).join('') };
	}
}

function beforeNuls(text: string): string {
	let end = text.length;
	while (end > 0 && text[end - 1] === '\0') end--;
	return text.slice(0, end);
}

const wide = (bytes: number[]): string => {
	let text = '';
	for (let i = 0; i + 1 < bytes.length; i += 2) text += String.fromCharCode(bytes[i]! | (bytes[i + 1]! << 8));
	return text;
};

/** Settings of an INI file: a key for each section, below `root`. Comments begin with `;` or `#`. */
export function readIniText(text: string, root: string): SettingEntry[] {
	const entries: SettingEntry[] = [];
	let section = root;
	text.split(/\r?\n/).forEach((raw, i) => {
		const line = raw.trim();
		if (line === '' || /^[;#]/.test(line)) return;
		const head = /^\[(.+)\]$/.exec(line);
		if (head) {
			section = `${root}/${head[1]!.trim()}`;
			return;
		}
		const cut = line.indexOf('=');
		if (cut < 1) throw new SettingsProblem(i + 1, `“${line.slice(0, 60)}” is neither a section nor a value`);
		entries.push(plainValue(section, line.slice(0, cut).trim(), line.slice(cut + 1).trim()));
	});
	return entries;
}

/** Settings of a JSON file: a key for each object, below `root`; a list of plain values is one setting. */
export function readJsonSettings(text: string, root: string): SettingEntry[] {
	let value: unknown;
	try {
		value = JSON.parse(text);
	} catch (e) {
		const position = /position (\d+)/.exec((e as Error).message)?.[1];
		// Not every message has a position. JSON is YAML, too, whose reader mostly says where it is wrong.
		const line =
			position === undefined
				? (parseDocument(text).errors[0]?.linePos?.[0].line ?? 1)
				: text.slice(0, Number(position)).split('\n').length;
		throw new SettingsProblem(line, 'this is not JSON');
	}
	const entries: SettingEntry[] = [];
	const walk = (at: string, name: string, v: unknown) => {
		if (Array.isArray(v) && v.every((x) => typeof x !== 'object' || x === null))
			entries.push({ setting: at, name, type: 'list', value: v.map(String).join('\n') });
		else if (typeof v === 'object' && v !== null)
			for (const [k, x] of Object.entries(v)) walk(name === '' ? at : `${at}/${name}`, k, x);
		else if (typeof v === 'boolean') entries.push({ setting: at, name, type: 'flag', value: String(v) });
		else entries.push(plainValue(at, name, String(v), typeof v === 'number'));
	};
	walk(root, '', value);
	return entries;
}

const plainValue = (
	setting: string,
	name: string,
	value: string,
	number = /^-?\d{1,15}$/.test(value)
): SettingEntry => ({
	setting,
	name,
	type: number ? 'number' : 'text',
	value
});
