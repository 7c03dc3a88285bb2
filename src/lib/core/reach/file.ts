import { Document, isScalar, stringify, visit, type YAMLSeq } from 'yaml';
import * as v from 'valibot';
import type { Bounds } from '../text/bounds';
import { positionOf, type Position } from '../text/positions';
import { readYaml } from '../text/yaml';
import { parseSize } from '../time/units';
import { parseClock, parseDays, timeOfDay } from '../time/hours';
import { EFFECTS, WAYS, type AccessRule, type Circumstances, type Rulebook } from './rules';
import { isPassage, isSized, PASSAGES } from './channels';
import { siteName, type Target } from './targets';
import type { Expected, RuleTest } from './tests';
import {
	knownOf,
	readFrom,
	readRule,
	readWhom,
	RULE_LIMITS,
	sizeText,
	WRITTEN_RULE,
	writtenRule,
	type Complain,
	type Known,
	type RuleProblem
} from './written';

/** Rules with the tests beside them, as a file. */

const BOUNDS: Bounds = { characters: 4_000_000, depth: 8, nodes: 400_000 };
const EXPECTED = [...EFFECTS, 'reach'] as const satisfies readonly Expected[];

export const WRITTEN_TEST = v.strictObject({
	name: v.pipe(
		v.string('Write the sentence.'),
		v.minLength(1, 'Write the sentence.'),
		v.maxLength(200, 'At most 200.')
	),
	who: v.string('Write team/…, person/… or employment/….'),
	what: v.string('Write site/…, service/… or channel/….'),
	from: v.optional(v.string()),
	on: v.optional(v.string()),
	device: v.optional(
		v.strictObject({
			managed: v.optional(v.boolean()),
			branch: v.optional(v.string()),
			firmware: v.optional(v.string()),
			locks: v.optional(v.boolean())
		})
	),
	at: v.optional(v.string()),
	duty: v.optional(v.picklist(['on', 'off'], 'On or off.')),
	holiday: v.optional(v.boolean()),
	through: v.optional(v.picklist(WAYS, `One of ${WAYS.join(', ')}.`)),
	expect: v.picklist(EXPECTED, `One of ${EXPECTED.join(', ')}.`)
});
export type WrittenTest = v.InferInput<typeof WRITTEN_TEST>;

export const WRITTEN_OTHERWISE = v.strictObject({
	web: v.picklist(['allow', 'refuse'], 'Allow or refuse.'),
	services: v.picklist(['allow', 'refuse'], 'Allow or refuse.'),
	channels: v.optional(v.picklist(['allow', 'refuse'], 'Allow or refuse.'))
});

const FILE = v.strictObject({
	'access-rules': v.literal(1, 'Expected “access-rules: 1”, the version of this format.'),
	rules: v.pipe(
		v.array(WRITTEN_RULE, '“rules” is a list.'),
		v.maxLength(RULE_LIMITS.rules, `At most ${RULE_LIMITS.rules} rules.`)
	),
	otherwise: WRITTEN_OTHERWISE,
	tests: v.optional(
		v.pipe(
			v.array(WRITTEN_TEST, '“tests” is a list.'),
			v.maxLength(RULE_LIMITS.tests, `At most ${RULE_LIMITS.tests} tests.`)
		),
		[]
	)
});

/** Reads `Tue 14:30` as minutes since Monday 00:00. Null when it is not such. */
export function readMomentOfWeek(text: string): number | null {
	const parts = /^([a-z]+)\s+(\d{1,2}:\d{2})$/i.exec(text.trim());
	const days = parts && parseDays(parts[1]!);
	const minute = parts && parseClock(parts[2]!);
	return days?.length === 1 && minute != null && minute < 1440 ? (days[0]! - 1) * 1440 + minute : null;
}

/** Reads what a test wants to reach: one site or one service; or to let pass: one way of a channel, and how much at once. */
export function readTarget(text: string, known: Known): Target | { wrong: string } {
	const slash = text.indexOf('/');
	const [kind, id] = [text.slice(0, slash).trim(), text.slice(slash + 1).trim()];
	if (kind === 'site') {
		const host = siteName(id);
		return host === null ? { wrong: `${id.slice(0, 60)} is no name of a web site.` } : { kind, host };
	}
	if (kind === 'channel') {
		const [passage = '', size, ...more] = id.split(' of ');
		if (!isPassage(passage)) return { wrong: `Write one of ${PASSAGES.join(', ')}.` };
		const bytes = size === undefined ? 0 : more.length ? null : parseSize(size);
		return bytes === null || (size !== undefined && !isSized(passage))
			? { wrong: 'Write a size where it has one, such as channel/clipboard-out of 4 KB.' }
			: { kind, passage, bytes };
	}
	if (kind !== 'service') return { wrong: 'Write site/…, service/… or channel/….' };
	const wrong = knownOf(known, 'service', id, 'service');
	return wrong === null ? { kind, id } : { wrong };
}

/** Reads one test, whose form has been checked. */
export function readTest(
	written: v.InferOutput<typeof WRITTEN_TEST>,
	known: Known
): { test: RuleTest } | { problems: RuleProblem[] } {
	const problems: RuleProblem[] = [];
	const wrong: Complain = (words, ...path) => problems.push({ path, words });
	const ok = <T extends object>(is: T | { wrong: string }, ...path: string[]): T | null => {
		if (!('wrong' in is)) return is;
		wrong(is.wrong, ...path);
		return null;
	};
	const who = ok(readWhom(written.who, known), 'who');
	const target = ok(readTarget(written.what, known), 'what');
	const from = written.from === undefined ? null : ok(readFrom(written.from, known), 'from');
	const minute = written.at === undefined ? undefined : readMomentOfWeek(written.at);
	if (minute === null) wrong('Write a day and a time such as Tue 14:30.', 'at');
	const named = (kind: 'pool' | 'branch', id: string | undefined, ...path: string[]) => {
		const missing = id === undefined ? null : knownOf(known, kind, id, kind);
		if (missing !== null) wrong(missing, ...path);
	};
	named('pool', written.on, 'on');
	named('branch', written.device?.branch, 'device', 'branch');
	if (problems.length || !who || !target) return { problems };
	const { managed, branch, firmware, locks } = written.device ?? {};
	const given: Partial<Omit<Circumstances, 'address'>> = {
		...(written.on === undefined ? {} : { pool: written.on }),
		...(managed === undefined ? {} : { managed }),
		...(branch === undefined ? {} : { branch }),
		...(firmware === undefined ? {} : { firmware }),
		...(locks === undefined ? {} : { locks }),
		...(minute == null ? {} : { minute }),
		...(written.duty === undefined ? {} : { onDuty: written.duty === 'on' }),
		...(written.holiday === undefined ? {} : { holiday: written.holiday }),
		...(written.through === undefined ? {} : { way: written.through })
	};
	return { test: { name: written.name.trim(), who, target, from, given, expects: written.expect } };
}

const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

/** What somebody wants to reach or let pass, as a test is written. */
export function targetText(t: Target): string {
	if (t.kind === 'site') return `site/${t.host}`;
	if (t.kind === 'service') return `service/${t.id ?? ''}`;
	return `channel/${t.passage}${t.bytes > 0 ? ` of ${sizeText(t.bytes)}` : ''}`;
}

/** A test as it is written: what `readTest` reads back to the same. */
export function writtenTest(t: RuleTest): WrittenTest {
	const { pool, managed, branch, firmware, locks, minute, onDuty, holiday, way } = t.given;
	const device = {
		...(managed === undefined ? {} : { managed }),
		...(branch == null ? {} : { branch }),
		...(firmware == null ? {} : { firmware }),
		...(locks === undefined ? {} : { locks })
	};
	return {
		name: t.name,
		who: `${t.who.kind}/${t.who.id}`,
		what: targetText(t.target),
		...(t.from ? { from: t.from.kind === 'site' ? `site/${t.from.id}` : t.from.range } : {}),
		...(pool == null ? {} : { on: pool }),
		...(Object.keys(device).length ? { device } : {}),
		...(minute === undefined ? {} : { at: `${DAYS[Math.floor(minute / 1440)]} ${timeOfDay(minute % 1440)}` }),
		...(onDuty === undefined ? {} : { duty: onDuty ? ('on' as const) : ('off' as const) }),
		...(holiday === undefined ? {} : { holiday }),
		...(way === undefined ? {} : { through: way }),
		expect: t.expects
	};
}

/** Rules and their tests as a file: YAML, what lists hold in one line. Reading it again gives the same, and writing that the same bytes. */
export function writeBook(book: Rulebook, tests: readonly RuleTest[]): string {
	const document = new Document({
		'access-rules': 1,
		rules: book.rules.map(writtenRule),
		otherwise: book.otherwise,
		...(tests.length ? { tests: tests.map(writtenTest) } : {})
	});
	visit(document, {
		Seq(_key, node) {
			if (node.items.length && node.items.every((item) => isScalar(item))) (node as YAMLSeq).flow = true;
		}
	});
	return stringify(document, { lineWidth: 0, flowCollectionPadding: false });
}

/** Something wrong in a file, and where. */
export interface FileProblem extends Position {
	words: string;
}

/** Reads a file of rules: all of it, or every problem with its line and column. */
export function readBook(
	text: string,
	known: Known
): { book: Rulebook; tests: RuleTest[] } | { problems: FileProblem[] } {
	const read = readYaml(text, BOUNDS, false);
	if ('problems' in read) return { problems: read.problems.map(({ message, ...at }) => ({ ...at, words: message })) };
	const { document, lines, value } = read;
	const problems: FileProblem[] = [];
	const complain = (path: (string | number)[], words: string) => {
		if (problems.length < 200) problems.push({ ...positionOf(document, lines, path), words });
	};
	const form = v.safeParse(FILE, value);
	if (!form.success) {
		for (const issue of form.issues) {
			const path = (issue.path ?? []).map((p) => p.key as string | number);
			complain(path, formWords(issue, path.at(-1)));
		}
		return { problems };
	}
	const { rules, tests, otherwise } = form.output;
	const ids = new Set<string>();
	const own = rules.flatMap((w, i): AccessRule[] => {
		if (ids.has(w.id)) complain(['rules', i, 'id'], `A second rule has the id ${w.id}.`);
		ids.add(w.id);
		const one = readRule(w, known);
		if ('rule' in one) return [one.rule];
		for (const p of one.problems) complain(['rules', i, ...p.path], p.words);
		return [];
	});
	const said = new Set<string>();
	const run = tests.flatMap((w, i): RuleTest[] => {
		if (said.has(w.name.trim())) complain(['tests', i, 'name'], 'A second test says the same.');
		said.add(w.name.trim());
		const one = readTest(w, known);
		if ('test' in one) return [one.test];
		for (const p of one.problems) complain(['tests', i, ...p.path], p.words);
		return [];
	});
	problems.sort((a, b) => a.line - b.line);
	return problems.length ? { problems } : { book: { rules: own, otherwise }, tests: run };
}

/** What is wrong with the form of something that is written, in words. */
function formWords(issue: v.BaseIssue<unknown>, key: string | number | undefined): string {
	const called = typeof key === 'string' ? `“${key.slice(0, 60)}”` : 'this';
	if (issue.type === 'strict_object' && issue.expected === 'never') return `There is no ${called} here.`;
	if (issue.message.startsWith('Invalid key')) return `${called} is missing.`;
	return issue.message.startsWith('Invalid type') ? `${called} is of another kind than it has to be.` : issue.message;
}
