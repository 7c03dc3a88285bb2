import { has, type Bits } from '$lib/core/reach/bits';
import { channelWords, isPassage } from '$lib/core/reach/channels';
import { ruleWords } from '$lib/core/reach/sentence';
import type { Effect } from '$lib/core/reach/rules';
import type { Scope } from '$lib/core/scope/scope';
import { DAY, HOUR } from '$lib/core/time/units';
import type { Db } from '../db';
import type { Flow } from '../providers';
import { categoriesAt, inForceAt, reachersAt, servicesAt, spokenAt } from '../reach';
import { keptDays } from './rolling';
import {
	firstHour,
	hitsByRule,
	peopleOf,
	reachedBy,
	rulesOf,
	sumsByHour,
	targetsOf,
	totalsOf,
	type Asked,
	type Reached,
	type RuleSums,
	type TargetSums
} from './queries';

/** Of fewer people sums would tell what each of them did: that asks for a reason, and stays on record. */
export const FEW = 5;
const few = new WeakMap<object, { of: object; rules: ReadonlySet<string> }>();

/** Rules that are about fewer than five people: how often one decided would tell what each of them did. */
export function aboutFew(db: Db, at: number): ReadonlySet<string> {
	const people = reachersAt(db, at);
	const of = inForceAt(db, at);
	let known = few.get(people);
	if (known?.of !== of) {
		const counts = new Map<Bits, number>();
		for (const p of people) {
			const bits = of.world.personBits(p);
			counts.set(bits, (counts.get(bits) ?? 0) + 1);
		}
		const rules = of.book.rules.flatMap((rule, i) => {
			let n = 0;
			for (const [bits, alike] of counts) if (n < FEW && has(bits, i)) n += alike;
			return n < FEW ? [rule.id] : [];
		});
		few.set(people, (known = { of, rules: new Set(rules) }));
	}
	return known.rules;
}

/** Whoever asks with somebody and without them would learn what they did. */
export const speaksOfOne = (scope: Scope): boolean =>
	scope.terms.some((t) => t.kind === 'text' || (t.kind === 'facet' && t.facet === 'person'));

/** So many targets are shown. */
const SHOWN = 40;
/** So many of what is refused most. */
const REFUSED = 12;
/** Hours that are drawn. */
const DRAWN = 48;

/** A rule as what was reached by it is shown. */
interface NamedRule {
	/** Its number; null: it is not there any more, or none decided. */
	number: number | null;
	name: string;
	decides: Effect | null;
}

/** What rules and targets are called at a moment. */
export function namesAt(db: Db, at: number) {
	const { book, ground } = inForceAt(db, at);
	const { names } = spokenAt(db, at);
	const numbers = new Map(book.rules.map((r, i) => [r.id, i]));
	const services = new Map(servicesAt(db, at).map((s) => [s.id, s.name]));
	const categories = new Map(categoriesAt(db, at).map((c) => [c.id, c.name]));
	return {
		rule(id: string): NamedRule {
			if (id === '') return { number: null, name: 'no rule: what decides at the end', decides: null };
			const i = numbers.get(id);
			if (i === undefined) return { number: null, name: `${id}, which is not there any more`, decides: null };
			const rule = book.rules[i]!;
			return { number: i + 1, name: rule.name || ruleWords(rule, names), decides: rule.effect };
		},
		target(kind: Flow['target']['kind'], target: string): { name: string; category: string | null } {
			if (kind === 'service')
				return { name: target === '' ? 'inside, and no service' : (services.get(target) ?? target), category: null };
			if (kind === 'channel') return { name: isPassage(target) ? channelWords(target) : target, category: null };
			const category = ground.catalogue.categoryOf(target);
			return { name: target, category: category === null ? null : (categories.get(category) ?? category) };
		}
	};
}

export type ShownRule = RuleSums & NamedRule;
export type ShownTarget = TargetSums & { name: string; category: string | null };

/** What people of a scope reached within so many days before a moment, in sums. Of few people, and of a scope that speaks of single ones, there are none: `few` says how many they are. */
export function activityView(db: Db, scope: Scope, at: number, days: number) {
	const { people, count, left } = peopleOf(db, scope, at);
	const asked: Asked = { at, days, people };
	if (people && (speaksOfOne(scope) || people.length < FEW)) return { few: count, left, sums: null };
	const names = namesAt(db, at);
	const target = (t: TargetSums): ShownTarget => ({ ...t, ...names.target(t.kind, t.target) });
	const hidden = aboutFew(db, at);
	const totals = totalsOf(db, asked);
	const targets = targetsOf(db, totals);
	const hour = Math.floor(at / HOUR);
	const drawn = new Map(sumsByHour(db, asked, DRAWN).map((h) => [h.hour, h]));
	return {
		few: null,
		left,
		sums: {
			...totals.all,
			hours: Array.from({ length: DRAWN }, (_, i) => {
				const h = drawn.get(hour - DRAWN + 1 + i);
				return {
					at: (hour - DRAWN + 1 + i) * HOUR,
					through: h ? h.decisions - h.refused : 0,
					refused: h?.refused ?? 0
				};
			}),
			rules: rulesOf(db, totals)
				.filter((r) => !hidden.has(r.rule))
				.map((r): ShownRule => ({ ...r, ...names.rule(r.rule) })),
			targets: targets.slice(0, SHOWN).map(target),
			refusedTargets: targets
				.filter((t) => t.refused > 0)
				.sort((a, b) => b.refused - a.refused)
				.slice(0, REFUSED)
				.map(target)
		}
	};
}

export type ShownReached = Reached & { name: string; category: string | null; number: number | null; ruleName: string };

/** What somebody reached and was refused, the latest first, with what everything is called. */
export function reachedView(
	db: Db,
	person: number,
	at: number,
	days: number,
	limit: number,
	offset: number
): ShownReached[] {
	const names = namesAt(db, at);
	return reachedBy(db, person, at, Math.min(days, keptDays(db)), limit, offset).map((r) => {
		const rule = names.rule(r.rule);
		return { ...r, ...names.target(r.kind, r.target), number: rule.number, ruleName: rule.name };
	});
}

/** What each rule decided within so many days before a moment, for the list of rules; null of one that is about too few people. */
export function hitsView(
	db: Db,
	at: number,
	days: number
): Record<string, { decisions: number; refused: number } | null> {
	const hits = hitsByRule(db, at, days);
	return Object.fromEntries([
		...[...hits].map(([rule, { decisions, refused }]) => [rule, { decisions, refused }] as const),
		...[...aboutFew(db, at)].map((rule) => [rule, null] as const)
	]);
}

/** So long a rule may decide nothing before it is said. */
const UNUSED = 90 * DAY;

/** Rules that have stood as they are for 90 days and decided nothing in them; none where it is not known for so long what was reached. */
export function unusedRules(db: Db, at: number): string[] {
	const from = at - UNUSED;
	const first = firstHour(db);
	if (first === null || first * HOUR > from) return [];
	// A day more: the first of them counts from its midnight.
	const hits = hitsByRule(db, at, UNUSED / DAY + 1);
	return inForceAt(db, at).book.rows.flatMap(({ rule, since }) =>
		since <= from && !hits.has(rule.id) ? [rule.id] : []
	);
}
