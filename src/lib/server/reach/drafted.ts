import { compareBooks, type Comparison, type Difference } from '$lib/core/reach/compare';
import { writtenTest } from '$lib/core/reach/file';
import { draftedRules } from '$lib/core/reach/drafted';
import type { AccessRule } from '$lib/core/reach/rules';
import { type Names } from '$lib/core/reach/sentence';
import { standings, type Standing } from '$lib/core/reach/standing';
import { runTests, type Tested } from '$lib/core/reach/tests';
import { World } from '$lib/core/reach/world';
import { numberWords } from '$lib/core/time/units';
import type { Db } from '../db';
import { everybody } from '../directory';
import { InputProblem } from '../plans/kind';
import type { PlanRow } from '../plans';
import { reachersAt, spokenAt } from './queries';
import { inForceAt, type InForce } from './standing';
import { bookOfDraft, type Book } from './rule-plans';
import { failedAt, shownRule, standWords, triesOf } from './shown';
import { differenceWords, onlyWords, targetsWords, testedWords } from './words';

/** So many differences are shown, and so many people of each by name. */
const SHOWN = 40;
const NAMED = 3;

/** What was worked out of a draft last, by the people whom it is about. */
const worked = new WeakMap<
	object,
	{ of: InForce; key: string; comparison: Comparison; stand: Standing[]; was: Tested[]; is: Tested[] }
>();

function workedOut(db: Db, at: number, of: InForce, after: Book) {
	const people = reachersAt(db, at);
	const { book, ground, world } = of;
	const key = JSON.stringify([after.rules, after.otherwise, after.tests]);
	let known = worked.get(people);
	if (known?.of !== of || known.key !== key) {
		known = {
			of,
			key,
			comparison: compareBooks(book, after, ground, people),
			stand: standings(after, ground, people),
			was: runTests(world, after.tests, people),
			is: runTests(new World(after.rules, after.otherwise, ground), after.tests, people)
		};
		worked.set(people, known);
	}
	return { ...known, targets: ground.catalogue.names.size + ground.services.length };
}

/** A draft of rules that a plan is: the book that it would have; or what is wrong with it by now; null where it is none. */
export function draftOn(db: Db, plan: Pick<PlanRow, 'id' | 'kind' | 'input' | 'state'> | null, at: number) {
	if (plan?.state !== 'draft') return null;
	const of = inForceAt(db, at);
	const known = spokenAt(db, at);
	try {
		const draft = bookOfDraft(plan.kind, plan.input, of.book, known);
		return draft && { plan: plan.id, wrong: null, of, known, ...draft };
	} catch (e) {
		if (!(e instanceof InputProblem)) throw e;
		return { plan: plan.id, wrong: e.problems.map((p) => p.words).join(' ') };
	}
}

type Drafted = Extract<NonNullable<ReturnType<typeof draftOn>>, { wrong: null }>;

/**
 * A draft as it lies over what is in force: each rule with what becomes of it, who gains and loses what, and which tests it breaks.
 * @param used how many of the people of a difference have used any of its targets; null: they are too few to say
 */
export function draftedView(
	db: Db,
	{ plan, of, known: { names }, book, moved }: Drafted,
	at: number,
	used: (of: Difference, comparison: Comparison) => number | null
) {
	const { comparison, stand, was, is, targets } = workedOut(db, at, of, book);
	const before = of.book;
	const called = new Map(everybody(db, at).map((p) => [p.login, p.name]));
	return {
		plan,
		rules: draftedRules(before.rules, book.rules, moved ?? undefined).map(({ rule, mark, number, was, earlier }) => ({
			...shownRule(rule, names),
			mark,
			number,
			was,
			earlier: earlier === null ? null : shownRule(earlier, names),
			stands: number === null ? null : standWords(stand[number - 1]!, book.rules)
		})),
		otherwise: book.otherwise,
		otherwiseWas: before.otherwise,
		differences: comparison.differences.slice(0, SHOWN).map((d) => ({
			...shownDifference(d, comparison, before.rules, book.rules, names, called),
			used: d.kind === 'lose' || d.kind === 'more' ? used(d, comparison) : null
		})),
		more: Math.max(0, comparison.differences.length - SHOWN),
		exact: comparison.exact,
		people: reachersAt(db, at).length,
		/** Names of the catalogue, and services. */
		targets,
		tests: book.tests.map((t, i) => ({
			name: t.name,
			holds: is[i]!.holds === true,
			held: was[i]!.holds === true,
			words: testedWords(t, is[i]!, names),
			tries: failedAt(is[i]!),
			written: writtenTest(t)
		}))
	};
}

function shownDifference(
	d: Difference,
	comparison: Comparison,
	before: readonly AccessRule[],
	after: readonly AccessRule[],
	names: Names,
	called: ReadonlyMap<string, string>
) {
	const first = d.people.slice(0, NAMED).map((p) => called.get(p.login) ?? p.login);
	return {
		kind: d.kind,
		count: d.count,
		targets: targetsWords(d.targets, names, comparison.world.ground.catalogue),
		words: differenceWords(d, comparison, before, after, names).by,
		only: onlyWords(d, comparison, names),
		people:
			d.count > first.length ? `${first.join(', ')} and ${numberWords(d.count - first.length)} more` : first.join(', '),
		tries: triesOf(d.example, d.usedUp)
	};
}
