import * as v from 'valibot';
import { durationWords, parseDuration, parseSize, sizeWords } from '../../time/units';

/** One parameter of a kind of step: what it may be, and what it is when nothing is said. */
export type Param = { label: string; hint?: string } & (
	| { kind: 'text'; default?: string; optional?: boolean; shape?: RegExp; shapeWords?: string }
	| { kind: 'lines'; default?: string }
	| { kind: 'choice'; options: readonly string[]; default: string }
	| { kind: 'list'; default?: string[]; shape?: RegExp; shapeWords?: string; optional?: boolean }
	| { kind: 'number'; least: number; most: number; default: number; unit?: string }
	| { kind: 'codes'; default: number[] }
	| { kind: 'duration'; least: number; most: number; default: number; optional?: boolean }
	| { kind: 'size'; least: number; most: number; default: number }
	| { kind: 'flag'; default: boolean }
	/** Chosen from what the estate has: the lab's stock systems, the package store, versions, machines. */
	| { kind: 'from'; list: 'stock' | 'package' | 'line' | 'machine'; optional?: boolean }
	| { kind: 'tweaks' }
);

/** The most that a parameter may hold. */
export const PARAM_LIMITS = { text: 2000, lines: 64 * 1024, list: 2000, values: 60 } as const;

export type ParamValue = string | number | boolean | string[] | number[];
export type ParamValues = Record<string, ParamValue>;

/** What a parameter is when nothing is said; undefined where something has to be said. */
export function defaultOf(param: Param): ParamValue | undefined {
	switch (param.kind) {
		case 'from':
			return undefined;
		case 'tweaks':
			return 'safe';
		default:
			return param.default;
	}
}

const optional = (param: Param) => 'optional' in param && param.optional === true;

/**
 * Reads a parameter as written in a file or a form. Durations and sizes may be written with their unit or stand as
 * milliseconds and bytes; a list may be one text with commas. Answers with the value, or with what is wrong in words.
 */
export function readParam(param: Param, given: unknown): { value: ParamValue | undefined } | { wrong: string } {
	if (given === undefined || given === null || given === '') {
		const value = defaultOf(param);
		return value !== undefined || optional(param) ? { value } : { wrong: `“${param.label}” is missing` };
	}
	switch (param.kind) {
		case 'text':
		case 'lines': {
			if (typeof given !== 'string' && typeof given !== 'number') return { wrong: `“${param.label}” has to be a text` };
			const text = String(given);
			const most = param.kind === 'text' ? PARAM_LIMITS.text : PARAM_LIMITS.lines;
			if (text.length > most) return { wrong: `“${param.label}” has at most ${most} characters` };
			if (param.kind === 'text' && param.shape && !param.shape.test(text))
				return { wrong: `“${param.label}”: ${param.shapeWords ?? 'not in the form that is expected'}` };
			return { value: text };
		}
		case 'from':
			return typeof given === 'string' || typeof given === 'number'
				? { value: String(given) }
				: { wrong: `“${param.label}” has to be a name` };
		case 'choice':
			return param.options.includes(String(given))
				? { value: String(given) }
				: { wrong: `“${param.label}” is one of ${param.options.join(', ')}` };
		case 'list': {
			const list = Array.isArray(given)
				? given.map(String)
				: String(given)
						.split(',')
						.map((s) => s.trim())
						.filter(Boolean);
			if (list.length > PARAM_LIMITS.list || list.some((item) => item.length > PARAM_LIMITS.text))
				return { wrong: `“${param.label}” is too long` };
			if (list.length === 0) return { wrong: `“${param.label}” needs at least one` };
			const bad = list.find((item) => param.shape && !param.shape.test(item));
			return bad === undefined
				? { value: list }
				: { wrong: `“${param.label}”: ${bad} is not ${param.shapeWords ?? 'in the form that is expected'}` };
		}
		case 'number': {
			const n = Number(given);
			return Number.isFinite(n) && n >= param.least && n <= param.most
				? { value: n }
				: {
						wrong: `“${param.label}” is a number from ${param.least} to ${param.most}${param.unit ? ` ${param.unit}` : ''}`
					};
		}
		case 'codes': {
			const codes = (Array.isArray(given) ? given : String(given).split(',')).map((c) => Number(String(c).trim()));
			return codes.length > 0 && codes.every((c) => Number.isInteger(c) && c >= 0 && c <= 4_294_967_295)
				? { value: codes }
				: { wrong: `“${param.label}” are whole numbers such as 0, 3010` };
		}
		case 'duration': {
			const ms = typeof given === 'number' ? given : parseDuration(String(given));
			if (ms === null) return { wrong: `“${param.label}” is a duration such as 25 min` };
			return ms >= param.least && ms <= param.most
				? { value: ms }
				: { wrong: `“${param.label}” is from ${durationWords(param.least)} to ${durationWords(param.most)}` };
		}
		case 'size': {
			const bytes = typeof given === 'number' ? given : parseSize(String(given));
			if (bytes === null) return { wrong: `“${param.label}” is a size such as 8 GB` };
			return bytes >= param.least && bytes <= param.most
				? { value: bytes }
				: { wrong: `“${param.label}” is from ${sizeWords(param.least)} to ${sizeWords(param.most)}` };
		}
		case 'flag':
			return given === true || given === 'yes' || given === 'true'
				? { value: true }
				: given === false || given === 'no' || given === 'false'
					? { value: false }
					: { wrong: `“${param.label}” is yes or no` };
		case 'tweaks':
			if (given === 'safe' || given === 'all') return { value: given };
			return Array.isArray(given) && given.every((t) => typeof t === 'string')
				? { value: given as string[] }
				: { wrong: `“${param.label}” is safe, all, or a list of tweaks` };
	}
}

/** A parameter's value as it stands in a file: with units, as short as it can be said without loss. */
export function writeParam(param: Param, value: ParamValue): unknown {
	if (param.kind === 'duration') {
		const words = durationWords(value as number);
		return parseDuration(words) === value ? words : `${String(value)} ms`;
	}
	if (param.kind === 'size') {
		const words = sizeWords(value as number);
		return parseSize(words) === value ? words : `${String(value)} B`;
	}
	return value;
}

/** Any parameters, as the API takes them; what they may be is checked with their kind of step. */
export const anyParams = v.pipe(
	v.record(
		v.pipe(v.string(), v.maxLength(100)),
		v.union([
			v.pipe(v.string(), v.maxLength(PARAM_LIMITS.lines)),
			v.number(),
			v.boolean(),
			v.pipe(v.array(v.pipe(v.string(), v.maxLength(PARAM_LIMITS.text))), v.maxLength(PARAM_LIMITS.list)),
			v.pipe(v.array(v.number()), v.maxLength(PARAM_LIMITS.list))
		])
	),
	v.check((p) => Object.keys(p).length <= PARAM_LIMITS.values, `At most ${PARAM_LIMITS.values} parameters.`)
);
