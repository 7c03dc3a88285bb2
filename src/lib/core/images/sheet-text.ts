import { isScalar, stringify, visit, YAMLSeq, Document, type LineCounter } from 'yaml';
import type { Bounds } from '../text/bounds';
import { readYaml } from '../text/yaml';
import { parseDuration, parseSize } from '../time/units';
import { positionOf, type Position } from '../text/positions';
import { kindOf, KINDS } from './library/kinds';
import { defaultOf, readParam, writeParam, type Param } from './library/params';
import { TWEAKS } from './library/tweaks';
import { makeStep, type BuildSheet, type SheetProblem, type Supplies } from './sheet';
import { type SheetStep } from './sheet-step';

/** Something wrong in a sheet's text, and where. */
export interface TextProblem extends Position {
	message: string;
}

/** A sheet's text, read: the sheet, and a function that says where a problem of it stands. */
export interface ReadSheet {
	sheet: BuildSheet;
	/** Nothing wrong, but worth knowing: what will not be kept. */
	remarks: TextProblem[];
	positionOf: (problem: SheetProblem) => Position;
}

/** A sheet holds no more than this, as text or as steps. */
export const SHEET_LIMITS = { steps: 300, note: 2000, characters: 400_000 } as const;
const SHEET_BOUNDS: Bounds = { characters: SHEET_LIMITS.characters, depth: 8, nodes: 20_000 };

const STEP_KEYS = ['kind', 'id', 'after', 'note'];

/**
 * The text of a sheet: YAML, parameters that are at their default left out, durations and sizes with their units.
 * Reading it again gives the same sheet, and writing that the same bytes.
 */
export function writeSheet(sheet: BuildSheet): string {
	const size = (n: number) => writeParam({ kind: 'size', label: '', least: 0, most: 0, default: 0 }, n);
	const duration = (n: number) => writeParam({ kind: 'duration', label: '', least: 0, most: 0, default: 0 }, n);
	const document = new Document({
		'build-sheet': 1,
		limit: duration(sheet.limit),
		builder: {
			cores: sheet.builder.cores,
			memory: size(sheet.builder.memory),
			disk: size(sheet.builder.disk),
			generation: sheet.builder.generation
		},
		steps: sheet.steps.map((step) => {
			const kind = kindOf(step.kind);
			const params: Record<string, unknown> = {};
			for (const [name, value] of Object.entries(step.with)) {
				const param = kind?.params[name];
				if (param && same(defaultOf(param), value)) continue;
				params[name] = param ? writeParam(param, value) : value;
			}
			return {
				kind: step.kind,
				...(step.id !== undefined ? { id: step.id } : {}),
				...(step.after?.length ? { after: step.after } : {}),
				...params,
				...(step.note !== undefined ? { note: step.note } : {})
			};
		})
	});
	visit(document, {
		Seq(_key, node) {
			if (node.items.length > 0 && node.items.every((item) => isScalar(item))) (node as YAMLSeq).flow = true;
		}
	});
	return stringify(document, { lineWidth: 0, flowCollectionPadding: false });
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** Reads a sheet's text: the sheet, or every problem of its form with line and column. What the steps mean is for `checkSheet`. */
export function readSheet(text: string): ReadSheet | { problems: TextProblem[] } {
	const read = readYaml(text, SHEET_BOUNDS, true);
	if ('problems' in read) return read;
	const { document, lines, value: given } = read;
	const problems: TextProblem[] = [];
	const at = (path: (string | number)[]) => positionOf(document, lines, path);
	const complain = (path: (string | number)[], message: string) => {
		// Enough to go on with: each has to be looked up in the text.
		if (problems.length < 200) problems.push({ ...at(path), message });
	};

	if (!isRecord(given)) return { problems: [{ line: 1, column: 1, message: 'expected limit, builder and steps' }] };
	for (const key of Object.keys(given))
		if (!['build-sheet', 'limit', 'builder', 'steps'].includes(key))
			complain([key], `unknown key “${key}”; a sheet has limit, builder and steps`);
	if (given['build-sheet'] !== '1') complain(['build-sheet'], 'expected “build-sheet: 1”, the version of this format');
	const limit = typeof given.limit === 'string' ? parseDuration(given.limit) : null;
	if (limit === null) complain(['limit'], '“limit” is missing, or not a duration such as 3 h 30 min');

	const builder = isRecord(given.builder) ? given.builder : {};
	if (!isRecord(given.builder)) complain(['builder'], '“builder” is missing: cores, memory, disk and generation');
	for (const key of Object.keys(builder))
		if (!['cores', 'memory', 'disk', 'generation'].includes(key))
			complain(['builder', key], `unknown key “${key}” of the builder`);
	const size = (key: 'memory' | 'disk') => {
		const bytes = typeof builder[key] === 'string' ? parseSize(builder[key]) : null;
		if (bytes === null && isRecord(given.builder))
			complain(['builder', key], `“${key}” is missing, or not a size such as 96 GB`);
		return bytes ?? 0;
	};
	const cores = Number(builder.cores);
	if (isRecord(given.builder) && !(Number.isInteger(cores) && cores >= 1 && cores <= 64))
		complain(['builder', 'cores'], '“cores” is a whole number from 1 to 64');
	const generation = builder.generation === undefined ? 2 : Number(builder.generation);
	if (generation !== 1 && generation !== 2) complain(['builder', 'generation'], '“generation” is 1 (BIOS) or 2 (UEFI)');

	const steps: SheetStep[] = [];
	if (!Array.isArray(given.steps) || given.steps.length === 0)
		complain(['steps'], '“steps” is missing: a list of at least one step');
	else if (given.steps.length > SHEET_LIMITS.steps)
		complain(['steps'], `a sheet has at most ${SHEET_LIMITS.steps} steps`);
	else given.steps.forEach((raw: unknown, i) => steps.push(readStep(raw, i, complain)));
	const sheet: BuildSheet = {
		steps,
		limit: limit ?? 0,
		builder: { cores, memory: size('memory'), disk: size('disk'), generation: generation === 1 ? 1 : 2 }
	};
	if (problems.length) return { problems: problems.sort((a, b) => a.line - b.line || a.column - b.column) };
	return {
		sheet,
		remarks: commentsIn(document, lines),
		positionOf: ({ step, field }) =>
			step >= 0 ? at(['steps', step, ...(field ? [field] : [])]) : at(field ? field.split('.') : ['steps'])
	};
}

function readStep(raw: unknown, i: number, complain: (path: (string | number)[], message: string) => void): SheetStep {
	if (!isRecord(raw) || typeof raw.kind !== 'string') {
		complain(['steps', i], 'a step has a kind, such as “kind: updates”');
		return { kind: '', with: {} };
	}
	const kind = kindOf(raw.kind);
	if (!kind) complain(['steps', i, 'kind'], `there is no kind of step called ${raw.kind}${nearTo(raw.kind)}`);
	const given: Record<string, unknown> = {};
	for (const [key, value] of Object.entries(raw)) {
		if (STEP_KEYS.includes(key)) continue;
		given[key] = value;
		const param = kind?.params[key];
		if (!kind) continue;
		if (!param) {
			complain(
				['steps', i, key],
				`a ${raw.kind} step knows no “${key}”; it knows ${Object.keys(kind.params).join(', ') || 'no parameters'}`
			);
			continue;
		}
		const read = readParam(param, value);
		if ('wrong' in read) complain(['steps', i, key], read.wrong);
		else if (read.value !== undefined) given[key] = read.value;
	}
	const after =
		raw.after === undefined ? undefined : Array.isArray(raw.after) ? raw.after.map(String) : [String(raw.after)];
	return makeStep(raw.kind, given, {
		...(raw.id !== undefined ? { id: String(raw.id) } : {}),
		...(after ? { after } : {}),
		...(raw.note !== undefined ? { note: String(raw.note) } : {})
	});
}

const isRecord = (x: unknown): x is Record<string, unknown> => typeof x === 'object' && x !== null && !Array.isArray(x);

/** `; did you mean …?` where a kind begins alike. */
function nearTo(kind: string): string {
	const near = KINDS.find((k) => k.kind.startsWith(kind.slice(0, 3)));
	return near ? `; did you mean ${near.kind}?` : '';
}

function commentsIn(document: Document, lines: LineCounter): TextProblem[] {
	const found: TextProblem[] = [];
	const say = (offset: number) => {
		const { line, col } = lines.linePos(offset);
		found.push({ line, column: col, message: 'comments are not kept: write “note:” in a step to keep a remark' });
	};
	if (document.commentBefore || document.comment) say(0);
	visit(document, {
		Node(_key, node) {
			if ((node.commentBefore || node.comment) && node.range) say(node.range[0]);
		}
	});
	return found.slice(0, 1);
}

/** Something that can be written at a position. */
export interface Completion {
	label: string;
	detail: string;
	/** What to write, where it is more than the label. */
	apply?: string;
}

/**
 * What can be written at an offset of a sheet's text: keys that are missing there, kinds, or values of the parameter of
 * the line. `from` is where the word that is being written begins.
 */
export function completionsAt(
	text: string,
	offset: number,
	supplies: Supplies | null
): { from: number; options: Completion[] } {
	const lineStart = text.lastIndexOf('\n', offset - 1) + 1;
	const before = text.slice(lineStart, offset);
	const pair = pairIn(before);
	const step = stepAround(text, offset);
	if (pair) {
		const { key } = pair;
		// What is being written begins behind the last space, comma or bracket.
		const from = lineStart + Math.max(pair.value, ...[' ', '\t', ',', '['].map((c) => before.lastIndexOf(c) + 1));
		if (key === 'kind') return { from, options: KINDS.map((k) => ({ label: k.kind, detail: k.says })) };
		if (key === 'generation')
			return {
				from,
				options: [
					{ label: '1', detail: 'BIOS' },
					{ label: '2', detail: 'UEFI' }
				]
			};
		const param = step ? kindOf(step.kind)?.params[key] : undefined;
		return { from, options: param ? valuesOf(param, supplies) : [] };
	}
	const word = /^(\s*(?:- )?)([\w-]*)$/.exec(before);
	if (!word) return { from: offset, options: [] };
	const from = offset - word[2]!.length;
	if (word[1] === '')
		return {
			from,
			options: ['limit', 'builder', 'steps']
				.filter((k) => !new RegExp(`^${k}:`, 'm').test(text))
				.map((label) => ({ label, detail: 'part of the sheet', apply: `${label}: ` }))
		};
	if (!step) {
		const inBuilder =
			text
				.slice(0, lineStart)
				.split('\n')
				.findLast((l) => l.trim() !== '' && !/^\s/.test(l))
				?.startsWith('builder:') === true;
		return {
			from,
			options: inBuilder
				? ['cores', 'memory', 'disk', 'generation'].map((label) => ({
						label,
						detail: 'of the builder machine',
						apply: `${label}: `
					}))
				: word[1]!.includes('- ')
					? [{ label: 'kind', detail: 'what the step does', apply: 'kind: ' }]
					: []
		};
	}
	const params = Object.entries(kindOf(step.kind)?.params ?? {});
	return {
		from,
		options: [
			...params
				.filter(([name]) => !step.keys.has(name))
				.map(([name, p]) => ({ label: name, detail: p.label, apply: `${name}: ` })),
			...['id', 'after', 'note']
				.filter((k) => !step.keys.has(k))
				.map((label) => ({
					label,
					detail:
						label === 'id' ? 'a name for other steps' : label === 'after' ? 'steps that must come first' : 'a remark',
					apply: `${label}: `
				}))
		]
	};
}

/** Kind and keys of the step around an offset, read line by line: the text may not parse while it is written. */
function stepAround(text: string, offset: number): { kind: string; keys: Set<string> } | null {
	const lines = text.split('\n');
	let at = text.slice(0, offset).split('\n').length - 1;
	const inside = at;
	while (at >= 0 && !/^\s*- /.test(lines[at]!)) {
		if (/^\S/.test(lines[at]!) && at !== inside) return null;
		at--;
	}
	if (at < 0) return null;
	const keys = new Set<string>();
	let kind = '';
	for (let i = at; i < lines.length && (i === at || !/^(\s*- |\S)/.test(lines[i]!)); i++) {
		const pair = pairIn(lines[i]!);
		if (!pair || i === inside) continue;
		keys.add(pair.key);
		if (pair.key === 'kind') kind = lines[i]!.slice(pair.value).trim();
	}
	return kind ? { kind, keys } : null;
}

/** The key of a line such as `  - kind: updates`, and where its value begins; null where the line has none. */
function pairIn(line: string): { key: string; value: number } | null {
	const cut = line.indexOf(':');
	const key = line.slice(0, cut).trim().replace(/^- /, '').trim();
	return cut < 0 || !/^[\w -]+$/.test(key) ? null : { key, value: cut + 1 };
}

function valuesOf(param: Param, supplies: Supplies | null): Completion[] {
	switch (param.kind) {
		case 'choice':
			return param.options.map((label) => ({ label, detail: param.label }));
		case 'flag':
			return ['true', 'false'].map((label) => ({ label, detail: param.label }));
		case 'tweaks':
			return [
				{ label: 'safe', detail: 'all that break nothing known' },
				{ label: 'all', detail: 'all of them' },
				...TWEAKS.map((t) => ({ label: t.id, detail: t.breaks ? `${t.words}; may break: ${t.breaks}` : t.words }))
			];
		case 'from':
			switch (param.list) {
				case 'stock':
					return (supplies?.stock ?? []).map((x) => ({ label: x.id, detail: x.name }));
				case 'package':
					return [...new Set((supplies?.packages ?? []).map((x) => x.name))].map((label) => ({
						label,
						detail: 'package store'
					}));
				case 'line':
					return [...new Set((supplies?.versions ?? []).map((x) => x.line))].map((label) => ({
						label,
						detail: 'image line'
					}));
				case 'machine':
					return (supplies?.machines ?? []).map((x) => ({ label: x.name, detail: 'machine' }));
			}
			break;
		default:
			return [];
	}
}
