import * as v from 'valibot';
import { compareBooks, type Comparison, type Difference } from '$lib/core/reach/compare';
import { editRules, editsBetween, type Edit } from '$lib/core/reach/edits';
import { readBook, readTest, WRITTEN_OTHERWISE, WRITTEN_TEST, writtenTest } from '$lib/core/reach/file';
import { endsOf, namedIn, sizesIn, type AccessRule, type Otherwise } from '$lib/core/reach/rules';
import { ruleWords } from '$lib/core/reach/sentence';
import { standings } from '$lib/core/reach/standing';
import { runTests, type RuleTest, type Tested } from '$lib/core/reach/tests';
import { World } from '$lib/core/reach/world';
import { readRule, RULE_LIMITS, WHATEVER, WRITTEN_RULE, writtenRule, type Known } from '$lib/core/reach/written';
import { noEffects, type Touched } from '$lib/core/plans/effects';
import { countWords, SECOND } from '$lib/core/time/units';
import type { Context } from '../context';
import { everybody } from '../directory';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { freeSlug } from '../plans/slug';
import { fact, id, LONGEST_TEXT, problem, SAID, TOO_LONG, tellGateways } from './fields';
import { contradictionsAt } from './relying';
import { reachersAt, spokenAt, type BookRow } from './queries';
import { inForceAt, type InForce } from './standing';
import type { BookWrite } from './steps';
import { differenceWords, testedWords } from './words';

const EDITS = {
	/** Without an id it is a new rule, with one by its name. */
	put: v.strictObject({
		put: v.strictObject({ ...WRITTEN_RULE.entries, id: v.optional(WRITTEN_RULE.entries.id) }),
		before: v.optional(v.nullable(id('Name a rule.')))
	}),
	move: v.strictObject({ move: id('Name a rule.'), before: v.nullable(id('Name a rule.')) }),
	remove: v.strictObject({ remove: id('Name a rule.') })
};
const anyEdit = v.union([EDITS.put, EDITS.move, EDITS.remove], 'An edit puts a rule, moves one, or removes one.');
/** What is wrong is said of the kind of edit that it is, beside the field of it. */
const edit = v.lazy((given): typeof anyEdit => {
	const kind =
		typeof given === 'object' && given !== null
			? (['put', 'move', 'remove'] as const).find((k) => Object.hasOwn(given, k))
			: undefined;
	return kind === undefined ? anyEdit : (EDITS[kind] as never);
});

/** Rules, what decides where none does, and tests, as a draft would have them. */
export interface Book {
	rules: readonly AccessRule[];
	otherwise: Otherwise;
	tests: readonly RuleTest[];
}

/** Who loses and who gains, as a plan touches people: those who lose first, each with the first of what it is. */
function touchedBy(
	ctx: Context,
	comparison: Comparison,
	say: (d: Difference) => ReturnType<typeof differenceWords>
): Touched[] {
	const names = new Map(everybody(ctx.db, ctx.clock.now()).map((p) => [p.login, p.name]));
	const people = new Map<string, Touched>();
	for (const d of comparison.differences) {
		const how = say(d).each;
		for (const { login } of d.people)
			if (!people.has(login))
				people.set(login, {
					kind: 'person',
					id: login,
					name: names.get(login) ?? login,
					how,
					...(d.kind === 'gain' || d.kind === 'less' ? { helped: true } : {})
				});
	}
	return [...people.values()];
}

const failedWords = (t: RuleTest, came: Tested, { names }: ReturnType<typeof spokenAt>): string =>
	`“${t.name}” ${came.holds === null ? '' : 'fails: '}${testedWords(t, came, names)}`;

/** The draft of a book in place of the one in force. */
function draftOf(ctx: Context, title: string, of: InForce, after: Book, known: ReturnType<typeof spokenAt>): Draft {
	const { book: before, ground } = of;
	const { db } = ctx;
	const now = ctx.clock.now();
	if (after.rules.length > RULE_LIMITS.rules) throw problem('edits', `At most ${RULE_LIMITS.rules} rules.`);
	if (namedIn(after.rules) > RULE_LIMITS.named)
		throw problem('edits', `All rules together name at most ${RULE_LIMITS.named} people, teams, targets and places.`);
	if (sizesIn(after.rules) > RULE_LIMITS.sizes)
		throw problem(
			'edits',
			`All rules together tell at most ${RULE_LIMITS.sizes} sizes apart of what passes a session.`
		);
	const people = reachersAt(db, now);
	const comparison = compareBooks(before, after, ground, people);
	const say = (d: Difference) => differenceWords(d, comparison, before.rules, after.rules, known.names);
	const same = (a: AccessRule, b: AccessRule | undefined) =>
		b !== undefined && JSON.stringify(writtenRule(a)) === JSON.stringify(writtenRule(b));
	const was = new Map(before.rules.map((r) => [r.id, r]));
	const put = after.rules.filter((r) => !same(r, was.get(r.id)));
	const gone = before.rules.filter((r) => !after.rules.some((a) => a.id === r.id));
	const write: BookWrite = {
		put: put.map((r) => ({ id: r.id, spec: writtenRule(r) })),
		remove: gone.map((r) => r.id),
		order: after.rules.map((r) => r.id),
		tests: after.tests.map(writtenTest),
		otherwise: after.otherwise
	};
	const reordered = JSON.stringify(before.rules.map((r) => r.id)) !== JSON.stringify(write.order);
	const tests = JSON.stringify(before.tests.map(writtenTest)) !== JSON.stringify(write.tests);
	const ends = JSON.stringify(endsOf(before.otherwise)) !== JSON.stringify(endsOf(after.otherwise));
	const nothing = !put.length && !gone.length && !reordered && !tests && !ends;
	// A test that does not hold now either keeps nobody from mending something else.
	const failing = failures(of.world, before.tests, people);
	const world = new World(after.rules, after.otherwise, ground);
	const broken = failures(world, after.tests, people);
	const stand = standings(after, ground, people);
	const idle = after.rules.flatMap((r, i) => {
		const s = stand[i]!;
		const changed = put.some((p) => p.id === r.id) || reordered;
		const called = `rule ${i + 1}${r.name ? `, ${r.name},` : ''}`;
		if (!changed) return [];
		if (s.stands === 'never')
			return [
				fact(
					`${called} would never decide: ${numbersOf(s.by, after.rules)} ${s.by.length === 1 ? 'has' : 'have'} all of it`,
					'against'
				)
			];
		if (s.stands === 'same') return [fact(`${called} would say what follows it says as well`, 'against')];
		return s.stands === 'nobody' ? [fact(`${called} is about nobody and nothing that is there`, 'against')] : [];
	});
	const { differences, lose, gain, exact } = comparison;
	const stood = new Map(contradictionsAt(db, now).found.map((c) => [`${c.publication} ${c.service}`, c.people.length]));
	const shuts = contradictionsAt(db, now, world).found.filter(
		(c) => c.people.length > (stood.get(`${c.publication} ${c.service}`) ?? 0)
	);
	return {
		title,
		effects: {
			...noEffects(),
			people: touchedBy(ctx, comparison, say),
			duration: { middle: SECOND, ninety: 3 * SECOND }
		},
		warnings: [
			...(lose.length ? [fact(`${countWords(lose.length, 'person loses', 'people lose')} something`, 'against')] : []),
			...broken
				.filter(([t]) => failing.some(([f]) => f.name === t.name))
				.map(([t, came]) => fact(`${failedWords(t, came, known)}, as it does now`, 'against')),
			...shuts.slice(0, SAID).map((c) => fact(c.words, 'against')),
			...idle.slice(0, SAID),
			...(exact ? [] : [fact('some combinations take too long to work out, and are left out', 'against')])
		],
		blocks: [
			...(nothing ? [fact('it is so already', 'against')] : []),
			...broken
				.filter(([t]) => !failing.some(([f]) => f.name === t.name))
				.slice(0, SAID)
				.map(([t, came]) => fact(failedWords(t, came, known), 'against'))
		],
		reasons: [
			...(gain.length ? [fact(`${countWords(gain.length, 'person gains', 'people gain')} something`, 'for')] : []),
			...differences
				.slice(0, SAID)
				.map((d) => fact(say(d).all, d.kind === 'gain' || d.kind === 'less' ? 'for' : 'against')),
			...(differences.length === 0 ? [fact('nobody gains or loses anything by it')] : [])
		],
		objects: ['access-rulebook/book', ...[...put, ...gone].map((r) => `access-rule/${r.id}`)],
		steps: [stepOf('access-rules.write', 'Write the rules down', write, 300), tellGateways()],
		undo: {
			kind: 'access-rules.change',
			input: {
				edits: editsBetween(after.rules, before.rules).map((e) => ('put' in e ? { ...e, put: writtenRule(e.put) } : e)),
				...(ends ? { otherwise: before.otherwise } : {}),
				...(tests ? { tests: before.tests.map(writtenTest) } : {})
			}
		},
		undoWords: 'Yes: the rules are again what they were.'
	};
}

const numbersOf = (ids: readonly string[], rules: readonly AccessRule[]): string =>
	ids.map((i) => `rule ${rules.findIndex((r) => r.id === i) + 1}`).join(' and ');

/** The tests that do not hold. */
const failures = (world: World, tests: readonly RuleTest[], people: Parameters<typeof runTests>[2]) =>
	runTests(world, tests, people).flatMap((came, i): [RuleTest, Tested][] =>
		came.holds === true ? [] : [[tests[i]!, came]]
	);

/** Reads a rule that is sent, or throws beside each field that is wrong. */
function ruleOf(written: v.InferOutput<typeof WRITTEN_RULE>, known: Known, field: string): AccessRule {
	const read = readRule(written, known);
	if ('rule' in read) return read.rule;
	throw new InputProblem(read.problems.map((p) => ({ field: [field, ...p.path].join('.'), words: p.words })));
}

const CHANGE = v.strictObject({
	edits: v.optional(v.pipe(v.array(edit), v.maxLength(RULE_LIMITS.rules, `At most ${RULE_LIMITS.rules}.`)), []),
	/** What decides where no rule does. */
	otherwise: v.optional(WRITTEN_OTHERWISE),
	/** All tests that rules have to hold, in the place of those that there are. */
	tests: v.optional(v.pipe(v.array(WRITTEN_TEST), v.maxLength(RULE_LIMITS.tests, `At most ${RULE_LIMITS.tests}.`)))
});
const BRING = v.strictObject({
	text: v.pipe(v.string('Bring a file.'), v.nonEmpty('Bring a file.'), v.maxLength(LONGEST_TEXT, TOO_LONG))
});

/** The book that edits make of the one in force. Throws beside what of them is wrong. */
function changedBook(before: BookRow, known: Known, input: v.InferOutput<typeof CHANGE>) {
	const taken = new Set(before.rules.map((r) => r.id));
	const edits = input.edits.map((e, i): Edit<AccessRule> => {
		if (!('put' in e)) return e;
		const { id: given, ...rest } = e.put;
		const id = given ?? freeSlug(rest.name, 'rule', (free) => taken.has(free));
		taken.add(id);
		return { ...e, put: ruleOf({ id, ...rest }, known, `edits.${i}.put`) };
	});
	const rules = editRules(before.rules, edits);
	if (!Array.isArray(rules)) throw problem(`edits.${rules.edit}.${rules.field}`, rules.words);
	const tests = (input.tests ?? before.tests.map(writtenTest)).map((t, i) => {
		const read = readTest(t, input.tests ? known : WHATEVER);
		if ('test' in read) return read.test;
		throw new InputProblem(read.problems.map((p) => ({ field: ['tests', i, ...p.path].join('.'), words: p.words })));
	});
	const twice = tests.findIndex((t, i) => tests.findIndex((o) => o.name === t.name) < i);
	if (twice >= 0) throw problem(`tests.${twice}.name`, 'Another test says the same.');
	return {
		book: { rules, tests, otherwise: input.otherwise ? { ...before.otherwise, ...input.otherwise } : before.otherwise },
		edits
	};
}

/** The book that a file has. Throws with the line of what is wrong in it. */
function broughtBook(known: Known, text: string): Book {
	const read = readBook(text, known);
	if ('problems' in read)
		throw new InputProblem(
			read.problems.map((p) => ({ field: 'text', words: `Line ${p.line}, column ${p.column}: ${p.words}` }))
		);
	return { ...read.book, tests: read.tests };
}

/** The input of a draft that stands; throws where an earlier release wrote it otherwise. */
function asGiven<S extends v.GenericSchema>(schema: S, input: unknown): v.InferOutput<S> {
	const read = v.safeParse(schema, input);
	if (!read.success) throw problem('edits', 'This draft cannot be read any more: discard it.');
	return read.output;
}

/** The book that a draft would have in the place of the one in force, and which rules it moves; null: it is no draft of rules. */
export function bookOfDraft(
	kind: string,
	input: unknown,
	before: BookRow,
	known: Known
): { book: Book; moved: Set<string> | null } | null {
	if (kind === bringRules.kind) return { book: broughtBook(known, asGiven(BRING, input).text), moved: null };
	if (kind !== changeRules.kind) return null;
	const { book, edits } = changedBook(before, known, asGiven(CHANGE, input));
	const moved = edits.flatMap((e) => ('move' in e ? [e.move] : 'put' in e && e.before !== undefined ? [e.put.id] : []));
	return { book, moved: new Set(moved) };
}

export const changeRules = planKind({
	kind: 'access-rules.change',
	words:
		'Add, change, move and remove access rules: who may reach which web sites and private services, and what passes their sessions',
	area: 'access',
	undo: 'back',
	schema: CHANGE,
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const of = inForceAt(ctx.db, now);
		const known = spokenAt(ctx.db, now);
		const { book, edits } = changedBook(of.book, known, input);
		return draftOf(ctx, titleOf(of.book, book.rules, edits, known), of, book, known);
	}
});

/** What a change of rules is called: the one rule that it is about, or how many. */
function titleOf(
	before: BookRow,
	after: readonly AccessRule[],
	edits: readonly Edit<AccessRule>[],
	known: ReturnType<typeof spokenAt>
): string {
	const about = [...new Set(edits.map((e) => ('put' in e ? e.put.id : 'move' in e ? e.move : e.remove)))];
	const [id] = about;
	if (id === undefined) return 'Change what decides where no access rule does, or the tests of the rules';
	if (about.length > 1) return `Change ${about.length} access rules`;
	const [is, was] = [after, before.rules].map((rules) => rules.find((r) => r.id === id));
	const called = (is ?? was)?.name || ((is ?? was) ? ruleWords((is ?? was)!, known.names) : id);
	const verb = !is ? 'Remove' : !was ? 'Add' : edits.every((e) => 'move' in e) ? 'Move' : 'Change';
	return `${verb} the access rule ${called}`.slice(0, 200);
}

export const bringRules = planKind({
	kind: 'access-rules.bring',
	words: 'Bring access rules and their tests from a file, in the place of all that there are',
	area: 'access',
	undo: 'back',
	longTexts: ['text'],
	schema: BRING,
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const known = spokenAt(ctx.db, now);
		const book = broughtBook(known, input.text);
		return draftOf(
			ctx,
			`Bring ${countWords(book.rules.length, 'access rule')} from a file`,
			inForceAt(ctx.db, now),
			book,
			known
		);
	}
});
