import { Alike, each, filled, has, lowest, put, wordsFor, type Bits } from './bits';
import { ByList, Classes } from './classes';
import {
	ANYWHERE,
	EFFECTS,
	endsOf,
	OTHERWISE,
	plainRule,
	type AccessRule,
	type Ask,
	type Circumstances,
	type Daily,
	type Effect,
	type Otherwise,
	type Reacher,
	type Rulebook
} from './rules';
import type { Target } from './targets';
import { Budget, Together, TooMany, type Holding, type Only } from './together';
import { World, type Ground } from './world';

/** What somebody wins or loses: access, or less or more that is asked for it. */
export const DIFFERENCES = ['lose', 'gain', 'more', 'less'] as const;
export type DifferenceKind = (typeof DIFFERENCES)[number];

/** People and targets that all fare alike: each of the people, with each of the targets. */
export interface Difference {
	kind: DifferenceKind;
	/** Lost or won whatever the circumstances, rather than in some of them alone. */
	whole: boolean;
	/** The rule that decided, and the one that would; `OTHERWISE` where none does. */
	before: { rule: string; effect: Effect };
	after: { rule: string; effect: Effect };
	readonly people: readonly Reacher[];
	/** How many people. */
	count: number;
	/** Targets of which each stands for all that no rule tells from it. */
	targets: readonly Target[];
	/** The circumstances in which it is so, as far as they are not all; dimensions and classes of `world`. */
	only: readonly Only[];
	/** It is so only once a day's share is used up. */
	usedUp: boolean;
	/** One of the people with one of the targets, in circumstances in which it is so. */
	example: Ask;
}

/** What one rulebook in place of another changes. */
export interface Comparison {
	/** Those of the most people first. */
	differences: readonly Difference[];
	/** People who lose, and who gain, anything in any circumstances. */
	lose: readonly Reacher[];
	gain: readonly Reacher[];
	/** Nothing was left out; false: some combinations take too long to work out. */
	exact: boolean;
	/** Both rulebooks laid over each other: what `only` speaks of. */
	world: World;
}

const rank = (e: Effect): number => EFFECTS.indexOf(e);
const same = (a: AccessRule, b: AccessRule): boolean => a === b || JSON.stringify(a) === JSON.stringify(b);

/** So many comparisons of one rule with another are made to find what has stayed in its order. */
const MOST_ALIGNED = 4_000_000;

/** Two lists of rules in one order that keeps both: what stands in both once, the rest marked by whose it is. */
export function layOver(before: readonly AccessRule[], after: readonly AccessRule[]) {
	const laid: { rule: AccessRule; in: 'both' | 'before' | 'after' }[] = [];
	let first = 0;
	while (first < before.length && first < after.length && same(before[first]!, after[first]!)) first++;
	let last = 0;
	while (
		last < Math.min(before.length, after.length) - first &&
		same(before[before.length - 1 - last]!, after[after.length - 1 - last]!)
	)
		last++;
	const a = before.slice(first, before.length - last);
	const b = after.slice(first, after.length - last);
	for (const rule of before.slice(0, first)) laid.push({ rule, in: 'both' });
	// The longest row that both have in common, by dynamic programming (Wagner and Fischer, 1974); of very long ones none is looked for.
	const width = b.length + 1;
	const aligned = a.length * b.length <= MOST_ALIGNED;
	const length = new Uint16Array(aligned ? (a.length + 1) * width : 0);
	const texts = { a: a.map((r) => JSON.stringify(r)), b: b.map((r) => JSON.stringify(r)) };
	if (aligned)
		for (let i = a.length - 1; i >= 0; i--)
			for (let j = b.length - 1; j >= 0; j--)
				length[i * width + j] =
					texts.a[i] === texts.b[j]
						? length[(i + 1) * width + j + 1]! + 1
						: Math.max(length[(i + 1) * width + j]!, length[i * width + j + 1]!);
	let i = 0;
	let j = 0;
	while (i < a.length || j < b.length) {
		if (i < a.length && j < b.length && texts.a[i] === texts.b[j] && aligned) {
			laid.push({ rule: a[i]!, in: 'both' });
			i++;
			j++;
		} else if (
			i < a.length &&
			(j >= b.length || !aligned || length[(i + 1) * width + j]! >= length[i * width + j + 1]!)
		)
			laid.push({ rule: a[i++]!, in: 'before' });
		else laid.push({ rule: b[j++]!, in: 'after' });
	}
	for (const rule of before.slice(before.length - last)) laid.push({ rule, in: 'both' });
	return laid;
}

type Laid = ReturnType<typeof layOver>;

/** Those rules that are about anything that a changed one is about: others have no part in what differs. */
function onlyNear(laid: Laid, otherwise: Otherwise, ground: Ground): Laid {
	const world = new World(
		laid.map((l) => l.rule),
		otherwise,
		ground
	);
	const changed = laid.flatMap((l, n) => (l.in === 'both' ? [] : [n]));
	const near = new Uint32Array(world.words);
	for (const t of world.allTargets()) {
		const bits = world.targetBits(t);
		if (changed.some((n) => has(bits, n))) for (let w = 0; w < near.length; w++) near[w]! |= bits[w]!;
	}
	return laid.filter((l, n) => l.in !== 'both' || has(near, n));
}

/** The default as rules, where those of two books differ. */
const lastRules = (o: Otherwise): AccessRule[] =>
	(['web', 'services', 'channels'] as const).map((kind) => ({
		...plainRule(OTHERWISE, endsOf(o)[kind]),
		what: [{ kind }]
	}));

/** Whether what is left of one share can go with another being used up, where both are of the same rule. */
const couldBe = (left: Daily, used: Daily): boolean =>
	(used.bytes ?? Infinity) < (left.bytes ?? Infinity) || (used.minutes ?? Infinity) < (left.minutes ?? Infinity);

/** How much one comparison looks at before it leaves the rest. */
const WORK = 60_000_000;

/** What a list of rules comes to that differs. */
interface Outcome {
	kind: DifferenceKind;
	whole: boolean;
	before: number;
	after: number;
	usedUp: boolean;
	only: Only[];
	example: Partial<Circumstances>;
	/** What it is so with: a class of people, and one of the touched targets, and so on. */
	pairs: number[];
	/** Touched targets that it is so with for everybody who is not looked at one by one. */
	rest: number[];
}

/**
 * Who gains and who loses what by one rulebook in place of another: exact over all people that are given, all targets and all circumstances, shares
 * of a day included. Only what the changed rules are about is looked at, and of that each class once.
 */
export function compareBooks(
	before: Rulebook,
	after: Rulebook,
	ground: Ground,
	people: readonly Reacher[],
	budget = new Budget(WORK)
): Comparison {
	const all = layOver(before.rules, after.rules);
	if (JSON.stringify(endsOf(before.otherwise)) !== JSON.stringify(endsOf(after.otherwise))) {
		for (const rule of lastRules(before.otherwise)) all.push({ rule, in: 'before' });
		for (const rule of lastRules(after.otherwise)) all.push({ rule, in: 'after' });
	}
	const laid = onlyNear(all, after.otherwise, ground);
	const world = new World(
		laid.map((l) => l.rule),
		after.otherwise,
		ground
	);
	const isIn = (n: number, book: 'before' | 'after') =>
		n >= laid.length || laid[n]!.in === 'both' || laid[n]!.in === book;
	const changed = new Uint32Array(world.words);
	laid.forEach((l, n) => {
		if (l.in !== 'both') put(changed, n);
	});
	const changedWords = [...changed.keys()].filter((w) => changed[w] !== 0);

	const persons = new Classes(people, (p) => world.rulesFor(p));
	const targets = new Classes(world.allTargets(), (t) => world.targetBits(t));
	/** What differs, by what it is; each with the targets, by classes of people. */
	const found = new Map<string, Outcome>();
	const outcomes = new ByList<Outcome[]>();
	const list = new Int32Array(world.deciding.length);
	let exact = true;

	const personsOf = persons.byRule(world.deciding.length);
	/** Rules that are about everybody tell nobody apart: of each target, only whom another rule is about is looked at one by one. */
	const universal = new Uint32Array(world.words);
	personsOf.forEach((of, n) => {
		if (of.length === persons.bits.length) put(universal, n);
	});
	/** Classes of targets that any changed rule is about; and whom of each any rule is about that is not about everybody. */
	const touched = targets.bits.flatMap((t, n) => (changedWords.some((w) => (t[w]! & changed[w]!) !== 0) ? [n] : []));
	const singled: number[][] = touched.map(() => []);
	const seen = new Int32Array(persons.bits.length).fill(-1);
	try {
		touched.forEach(lookAt);
	} catch (e) {
		if (!(e instanceof TooMany)) throw e;
		exact = false;
	}

	/** Looks at one of the touched targets, with everybody. */
	function lookAt(target: number, at: number): void {
		const t = targets.bits[target]!;
		const words = filled(t);
		const own: number[] = (singled[at] = []);
		for (const n of each(t)) {
			if (has(universal, n)) continue;
			for (const person of personsOf[n]!) {
				if (seen[person] === at) continue;
				seen[person] = at;
				own.push(person);
			}
		}
		for (const person of own) for (const o of outcomesFor(persons.bits[person]!, t, words)) o.pairs.push(person, at);
		if (own.length < persons.bits.length) for (const o of outcomesFor(universal, t, words)) o.rest.push(at);
	}

	function outcomesFor(p: Bits, t: Bits, words: readonly number[]): Outcome[] {
		budget.spend(4 + words.length / 4);
		const length = candidates(p, t, words);
		return length === 0 ? [] : outcomes.get(list, length, outcomesOf);
	}

	/** Puts the rules that may decide about a pair into the list, in their order; how many, or 0 where nothing that has changed is among them. */
	function candidates(p: Bits, t: Bits, words: readonly number[]): number {
		let length = 0;
		let before = false;
		let after = false;
		let differs = false;
		for (const w of words) {
			let x = p[w]! & t[w]!;
			while (x !== 0) {
				const n = (w << 5) + lowest(x);
				x &= x - 1;
				const inBefore: boolean = !before && isIn(n, 'before');
				const inAfter: boolean = !after && isIn(n, 'after');
				if (!inBefore && !inAfter) continue;
				list[length++] = n;
				differs ||= has(changed, n);
				if (world.asks[n] === 0 && !world.deciding[n]!.rule?.daily) {
					before ||= inBefore;
					after ||= inAfter;
					if (before && after) return differs ? length : 0;
				}
			}
		}
		return differs ? length : 0;
	}

	/** All that a list can come to. */
	function outcomesOf(list: number[]): Outcome[] {
		const bit = (test: (n: number) => boolean) =>
			list.reduce((bits, n, i) => (test(n) ? bits | (1n << BigInt(i)) : bits), 0n);
		const sides = { before: bit((n) => isIn(n, 'before')), after: bit((n) => isIn(n, 'after')) };
		const lasting = bit((n) => !world.deciding[n]!.rule?.daily);
		/** Behind the first that stands for good nothing counts, in either book. */
		const cut = (mask: bigint, settled: bigint): bigint => {
			const upTo = (side: bigint) => {
				const stands = mask & settled & lasting & side;
				return stands === 0n ? mask & side : mask & side & (((stands & -stands) << 1n) - 1n);
			};
			return upTo(sides.before) | upTo(sides.after);
		};
		let together: Together;
		try {
			together = new Together(world, list, cut, budget);
		} catch (e) {
			if (!(e instanceof TooMany)) throw e;
			exact = false;
			return [];
		}
		const rows = new Map<string, { before: number; after: number; usedUp: boolean; ends: Holding[] }>();
		let reachedBefore = false;
		let reachedAfter = false;
		for (const end of together.ends)
			for (const [b, a, usedUp] of pairsOf(together, end.mask, sides)) {
				const was = world.deciding[b]!.effect;
				const will = world.deciding[a]!.effect;
				reachedBefore ||= was !== 'refuse';
				reachedAfter ||= will !== 'refuse';
				if (was === will) continue;
				const key = `${b} ${a} ${usedUp}`;
				const row = rows.get(key);
				if (row) row.ends.push(end);
				else rows.set(key, { before: b, after: a, usedUp, ends: [end] });
			}
		return [...rows.values()].map(({ ends, ...row }): Outcome => {
			const was = world.deciding[row.before]!.effect;
			const will = world.deciding[row.after]!.effect;
			const kind = was === 'refuse' ? 'gain' : will === 'refuse' ? 'lose' : rank(will) > rank(was) ? 'more' : 'less';
			const only = together.only(ends);
			const whole = (kind === 'lose' && !reachedAfter) || (kind === 'gain' && !reachedBefore);
			const key = JSON.stringify([kind, whole, row.before, row.after, row.usedUp, only]);
			let outcome = found.get(key);
			if (!outcome) {
				outcome = { ...row, kind, whole, only, example: together.example(ends[0]!), pairs: [], rest: [] };
				found.set(key, outcome);
			}
			return outcome;
		});
	}

	/** Which rules decide before and after where a set of rules holds, by whether shares are used up. */
	function* pairsOf(
		together: Together,
		mask: bigint,
		sides: { before: bigint; after: bigint }
	): Generator<[number, number, boolean]> {
		const chain = (side: bigint): number[] => {
			const rules: number[] = [];
			for (const n of together.rulesOf(mask & side)) {
				rules.push(n);
				if (!world.deciding[n]!.rule?.daily) break;
			}
			return rules;
		};
		const b = chain(sides.before);
		const a = chain(sides.after);
		const ruleOf = (n: number) => world.deciding[n]!.rule;
		/** The share of `left` is left while those of `used` are used up. */
		const agrees = (left: number, used: readonly number[]) => {
			const own = ruleOf(left);
			return used.every((u) => {
				const other = ruleOf(u)!;
				return own?.daily == null || own.id !== other.id || couldBe(own.daily, other.daily!);
			});
		};
		for (const [i, was] of b.entries())
			for (const [j, will] of a.entries()) {
				const used = [...b.slice(0, i), ...a.slice(0, j)];
				if (agrees(was, used) && agrees(will, used)) yield [was, will, used.length > 0];
			}
	}

	const differences: Difference[] = [];
	const idOf = (n: number) => ({ rule: world.deciding[n]!.rule?.id ?? OTHERWISE, effect: world.deciding[n]!.effect });
	const met = { lose: new Set<number>(), gain: new Set<number>() };
	for (const outcome of found.values()) {
		// Classes of people that fare alike with the very same targets are one row.
		const alike = new Alike();
		const together: number[][] = [];
		for (const [person, bits] of targetsByPerson(outcome)) {
			if (bits.every((w) => w === 0)) continue;
			(together[alike.numberOf(bits)] ??= []).push(person);
			if (outcome.kind === 'lose' || outcome.kind === 'gain') met[outcome.kind].add(person);
		}
		together.forEach((classes, n) =>
			differences.push(
				new Row(
					outcome,
					idOf,
					persons,
					classes,
					targets,
					[...each(alike.distinct[n]!)].map((t) => touched[t]!)
				)
			)
		);
	}
	/** The touched targets of each class of people that an outcome is so with. */
	function targetsByPerson({ pairs, rest }: Outcome): Map<number, Bits> {
		const of = new Map<number, Bits>();
		const usual = new Uint32Array(wordsFor(touched.length));
		for (const at of rest) put(usual, at);
		const bitsOf = (person: number): Bits => {
			let bits = of.get(person);
			if (!bits) of.set(person, (bits = usual.slice()));
			return bits;
		};
		for (const at of rest) for (const person of singled[at]!) bitsOf(person)[at >>> 5]! &= ~(1 << (at & 31));
		for (let i = 0; i < pairs.length; i += 2) put(bitsOf(pairs[i]!), pairs[i + 1]!);
		if (rest.length)
			for (let person = 0; person < persons.bits.length; person++) if (!of.has(person)) of.set(person, usual);
		return of;
	}
	const peopleOf = (classes: ReadonlySet<number>) => [...classes].flatMap((c) => persons.members[c]!);
	const lose = peopleOf(met.lose);
	const gain = peopleOf(met.gain);
	differences.sort((a, b) => DIFFERENCES.indexOf(a.kind) - DIFFERENCES.indexOf(b.kind) || b.count - a.count);
	return { differences, lose, gain, exact, world };
}

/** A difference, whose people and targets are put together where somebody asks for them. */
class Row implements Difference {
	readonly kind: DifferenceKind;
	readonly whole: boolean;
	readonly before: Difference['before'];
	readonly after: Difference['after'];
	readonly only: readonly Only[];
	readonly usedUp: boolean;
	readonly count: number;
	private readonly found: Partial<Circumstances>;

	constructor(
		outcome: Outcome,
		idOf: (n: number) => Difference['before'],
		private readonly persons: Classes<Reacher>,
		private readonly classes: readonly number[],
		private readonly all: Classes<Target>,
		private readonly of: readonly number[]
	) {
		this.kind = outcome.kind;
		this.whole = outcome.whole;
		this.before = idOf(outcome.before);
		this.after = idOf(outcome.after);
		this.only = outcome.only;
		this.usedUp = outcome.usedUp;
		this.found = outcome.example;
		this.count = classes.reduce((n, c) => n + persons.members[c]!.length, 0);
	}
	get people(): readonly Reacher[] {
		return this.classes.flatMap((c) => this.persons.members[c]!);
	}
	get targets(): readonly Target[] {
		return this.of.flatMap((t) => this.all.members[t]!);
	}
	get example(): Ask {
		return {
			...ANYWHERE,
			...this.found,
			person: this.persons.members[this.classes[0]!]![0]!,
			target: this.all.members[this.of[0]!]![0]!
		};
	}
}
