import { durationWords, numberWords, parseDuration, SECOND } from '../time/units';

/** What settings are of: their types, how values are read and said, and what applying one costs. */

/** Whom a setting is for: a device that somebody sits at, a machine, or somebody's session on a machine. */
export const SUBJECT_KINDS = ['endpoint', 'machine', 'session'] as const;
export type SubjectKind = (typeof SUBJECT_KINDS)[number];

/** When a value takes hold once it is told. */
export const HOLDS = ['at once', 'next sign-in', 'next start'] as const;
export type Holds = (typeof HOLDS)[number];

export type SettingType =
	| { is: 'switch' }
	| { is: 'choice'; of: readonly string[] }
	/** Whole numbers. */
	| { is: 'number'; unit: string; least: number; most: number }
	/** Ms, whole seconds; null where it may be never. */
	| { is: 'span'; least: number; most: number; never: boolean }
	| { is: 'text'; most: number }
	/** Lines of text, such as drives or addresses; `item` says what each is. */
	| { is: 'list'; item: string; most: number };

/** A span is in ms, null is never. */
export type SettingValue = boolean | number | string | null | readonly string[];

/** What applying a value takes at a sign-in; nothing where it is switched off, none, or an empty list. */
export interface SettingCost {
	/** Ms, however much it is. */
	once?: number;
	/** Ms for each line of a list, or each one of a number. */
	each?: number;
	/** Round trips to the file servers for each line, or each one; once for what is no list and no number. */
	trips?: number;
	/** The phase of a sign-in in which it is applied. */
	phase?: 'policies' | 'drives';
}

export interface Setting {
	/** Area and name, such as `power.sleep-after`. */
	id: string;
	/** What people call it. */
	name: string;
	area: string;
	/** One sentence: what it does. */
	words: string;
	type: SettingType;
	/** The value where no group says another. */
	usual: SettingValue;
	for: readonly SubjectKind[];
	holds: Holds;
	cost?: SettingCost;
}

/** The most characters of a line of a list. */
const LINE = 200;

/** What is wrong with a value for a setting, in a sentence; null where nothing is. */
export function wrongWith(type: SettingType, value: unknown): string | null {
	switch (type.is) {
		case 'switch':
			return typeof value === 'boolean' ? null : 'Write on or off.';
		case 'choice':
			return typeof value === 'string' && type.of.includes(value) ? null : `Choose ${orList(type.of)}.`;
		case 'number':
			return typeof value === 'number' && Number.isInteger(value) && value >= type.least && value <= type.most
				? null
				: `Write a whole number from ${numberWords(type.least)} to ${numberWords(type.most)}.`;
		case 'span':
			if (value === null) return type.never ? null : 'It cannot be never.';
			return typeof value === 'number' && value % SECOND === 0 && value >= type.least && value <= type.most
				? null
				: `Write a span from ${durationWords(type.least)} to ${durationWords(type.most)}${type.never ? ', or never' : ''}.`;
		case 'text':
			return typeof value === 'string' && value.length <= type.most ? null : `Write at most ${type.most} characters.`;
		case 'list':
			return Array.isArray(value) &&
				value.length <= type.most &&
				value.every((x) => typeof x === 'string' && x.trim() !== '' && x.length <= LINE) &&
				new Set(value).size === value.length
				? null
				: `Write at most ${type.most} lines, each once: ${type.item}.`;
	}
}

/**
 * Reads a value as people write it: `on`, `20 min`, `never`, a list. Values as they are kept are read too, so what is read can be read again.
 * @returns the value, or what is wrong with it in a sentence
 */
export function readValue(type: SettingType, written: unknown): { value: SettingValue } | { problem: string } {
	const value = asKept(type, written);
	const problem = wrongWith(type, value);
	return problem === null ? { value: value as SettingValue } : { problem };
}

function asKept(type: SettingType, written: unknown): unknown {
	if (type.is === 'list') {
		const lines = typeof written === 'string' ? written.split('\n') : written;
		return Array.isArray(lines)
			? lines.map((x: unknown) => (typeof x === 'string' ? x.trim() : x)).filter((x) => x !== '')
			: lines;
	}
	if (typeof written !== 'string') return written;
	const text = written.trim();
	if (type.is === 'switch') return { on: true, off: false, yes: true, no: false }[text.toLowerCase()] ?? text;
	if (type.is === 'number') return /^-?\d{1,15}$/.test(text) ? Number(text) : text;
	if (type.is === 'span') return text.toLowerCase() === 'never' ? null : (parseDuration(text) ?? text);
	return text;
}

/** A value as people write it, for files and fields: what `readValue` reads back to the same. */
export function writtenValue(type: SettingType, value: SettingValue): boolean | number | string | string[] {
	if (type.is === 'span') return value === null ? 'never' : spanWritten(value as number);
	return Array.isArray(value) ? [...value] : (value as boolean | number | string);
}

/** Whole seconds in the fewest units that say them exactly. */
function spanWritten(ms: number): string {
	const parts: string[] = [];
	let left = Math.round(ms / SECOND);
	for (const [unit, seconds] of [
		['d', 86_400],
		['h', 3600],
		['min', 60],
		['s', 1]
	] as const) {
		const n = Math.floor(left / seconds);
		left -= n * seconds;
		if (n > 0) parts.push(`${n} ${unit}`);
	}
	return parts.join(' ') || '0 s';
}

/** A value in words, short enough for a cell of a table. */
export function valueWords(type: SettingType, value: SettingValue): string {
	switch (type.is) {
		case 'switch':
			return value === true ? 'on' : 'off';
		case 'span':
			return value === null ? 'never' : spanWritten(value as number);
		case 'number':
			return `${numberWords(value as number)}${type.unit ? ` ${type.unit}` : ''}`;
		case 'list': {
			const lines = value as readonly string[];
			return lines.length === 0
				? 'none'
				: lines.length <= 2
					? lines.join(', ')
					: `${lines[0]} and ${lines.length - 1} more`;
		}
		default:
			return value === '' ? 'nothing' : String(value);
	}
}

/** Whether two values are the same. */
export const sameValue = (a: SettingValue, b: SettingValue): boolean =>
	a === b ||
	(Array.isArray(a) && Array.isArray(b) && a.length === b.length && a.every((x, i) => x === (b as string[])[i]));

/**
 * What applying a value takes at a sign-in, on an idle machine.
 * @param trip a round trip to the file servers, ms
 * @returns ms
 */
export function costOf(setting: Setting, value: SettingValue, trip: number): number {
	const { cost } = setting;
	if (!cost || isOff(setting.type, value)) return 0;
	const count = Array.isArray(value) ? value.length : setting.type.is === 'number' ? (value as number) : 1;
	return (cost.once ?? 0) + count * ((cost.each ?? 0) + (cost.trips ?? 0) * trip);
}

/** Whether a value asks for nothing to be done. */
export function isOff(type: SettingType, value: SettingValue): boolean {
	if (type.is === 'switch') return value === false;
	if (type.is === 'choice') return value === 'none' || value === 'off';
	if (type.is === 'span') return value === null;
	return Array.isArray(value) ? value.length === 0 : value === 0 || value === '';
}

const orList = (of: readonly string[]): string =>
	of.length < 2 ? (of[0] ?? '') : `${of.slice(0, -1).join(', ')} or ${of.at(-1)}`;
