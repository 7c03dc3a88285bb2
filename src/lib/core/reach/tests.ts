import { rangeOnLine } from './spans';
import {
	ANYWHERE,
	OTHERWISE,
	type Ask,
	type Circumstances,
	type Effect,
	type From,
	type Reacher,
	type Whom
} from './rules';
import type { Target } from './targets';
import { outcomesOf } from './outcomes';
import { Budget, TooMany } from './together';
import { DIMENSIONS, type DimensionName, type World } from './world';
import { Classes } from './classes';

/** What a test expects: an effect, or that they reach it whatever more is asked for. */
export type Expected = Effect | 'reach';

/** A sentence that rules have to keep true: “Chart Production reaches the depth store from Bergen”. */
export interface RuleTest {
	/** The sentence. */
	name: string;
	who: Whom;
	target: Target;
	/** Where they are; null: wherever. */
	from: From | null;
	/** Circumstances in which it has to hold; in what is not named, in all. */
	given: Partial<Omit<Circumstances, 'address'>>;
	expects: Expected;
}

/** How a test came out. */
export type Tested =
	| { holds: true; people: number }
	/** Nobody is there that it speaks of, so that it says nothing. */
	| { holds: false; nobody: true }
	/** Somebody for whom it does not, and the rule that decides there. */
	| { holds: false; nobody: false; example: Ask; effect: Effect; rule: string; number: number | null }
	/** It takes too long to work out. */
	| { holds: null };

/** How much is looked at for all tests before the rest is not worked out. */
const WORK = 30_000_000;

const isAs = (effect: Effect, expects: Expected): boolean =>
	expects === 'reach' ? effect !== 'refuse' : effect === expects;

/**
 * Runs tests over everybody whom they speak of, in all circumstances that they leave open, with nothing of a day's share used.
 * @param people everybody there is
 */
export function runTests(world: World, tests: readonly RuleTest[], people: readonly Reacher[]): Tested[] {
	const budget = new Budget(WORK);
	return tests.map((t) => {
		const own = people.filter((p) =>
			t.who.kind === 'person'
				? p.login === t.who.id
				: t.who.kind === 'team'
					? p.teams.includes(t.who.id)
					: p.employment === t.who.id
		);
		return own.length === 0 ? { holds: false, nobody: true } : runOne(world, t, own, budget);
	});
}

function runOne(world: World, test: RuleTest, own: readonly Reacher[], budget: Budget): Tested {
	const within = new Map<DimensionName, ReadonlySet<number>>();
	for (const [name, value] of Object.entries(test.given) as [DimensionName, never][])
		within.set(name, new Set([dimensionOf(world, name).classOf({ ...ANYWHERE, [name]: value })]));
	if (test.from) within.set('address', classesIn(world, test.from));
	const t = world.targetBits(test.target);
	const classes = new Classes(own, (p) => world.rulesFor(p));
	try {
		for (const [n, p] of classes.bits.entries())
			for (const { first, together, end } of outcomesOf(world, p, t, budget, within)) {
				const { rule, effect } = world.deciding[first]!;
				if (isAs(effect, test.expects)) continue;
				return {
					holds: false,
					nobody: false,
					example: {
						...ANYWHERE,
						...test.given,
						...together.example(end),
						person: classes.members[n]![0]!,
						target: test.target
					},
					effect,
					rule: rule?.id ?? OTHERWISE,
					number: rule ? first + 1 : null
				};
			}
	} catch (e) {
		if (e instanceof TooMany) return { holds: null };
		throw e;
	}
	return { holds: true, people: own.length };
}

const dimensionOf = (world: World, name: DimensionName) => world.dimensions[DIMENSIONS.indexOf(name)]!;

/** The classes of addresses of which any lies in the networks of a site, or in a range. */
function classesIn(world: World, from: From): ReadonlySet<number> {
	const ranges = from.kind === 'network' ? [from.range] : (world.ground.sites.get(from.id) ?? []);
	const dimension = dimensionOf(world, 'address');
	const inside = new Set<number>();
	for (const range of ranges) {
		const ends = rangeOnLine(range);
		if (!ends) continue;
		for (const n of world.stretchesIn(...ends)) inside.add(n);
	}
	// A site without networks is nowhere.
	return inside.size ? inside : new Set([dimension.classOf(ANYWHERE)]);
}
