import { has, lowest, type Bits } from './bits';
import { ByList, Classes } from './classes';
import { ANYWHERE, type AccessRule, type Ask, type Reacher, type Rulebook } from './rules';
import { Budget, Together, TooMany } from './together';
import { World, type Ground } from './world';

/** What a rule does where it stands. */
export type Standing =
	/** It decides somewhere, and otherwise than what follows it would. */
	| { stands: 'decides'; example: Ask }
	/** Nobody is there that it is about. */
	| { stands: 'nobody' }
	/** Earlier rules have all of it; with circumstances in which it would fit. */
	| { stands: 'never'; by: readonly string[]; example: Ask }
	/** Wherever it decides, what follows would decide alike. */
	| { stands: 'same'; example: Ask }
	/** It takes too long to work out. */
	| { stands: 'unknown' };

/** What a list of rules comes to: by position, where each decides, and where each does so otherwise than what follows. */
interface Came {
	list: readonly number[];
	decides: (Partial<Ask> | undefined)[];
	differs: (Partial<Ask> | undefined)[];
	unknown: boolean;
}

/** How much is looked at for all rules of a book before the rest is not worked out. */
const WORK = 100_000_000;

/** So many rules are tried for being left out of those that cover one. */
const MOST_TRIED = 60;

/** Whether one rule would decide as another does for the people it meets. */
const saysSame = (a: AccessRule | null, b: AccessRule | null, effects: readonly [string, string]): boolean =>
	effects[0] === effects[1] && !a?.daily && !b?.daily && (a?.words ?? null) === (b?.words ?? null);

/**
 * How each rule of a book stands, in their order: exact over all people that are given, all targets and all circumstances.
 */
export function standings(
	book: Rulebook,
	ground: Ground,
	people: readonly Reacher[],
	budget = new Budget(WORK)
): Standing[] {
	const world = new World(book.rules, book.otherwise, ground);
	const persons = new Classes(people, (p) => world.rulesFor(p));
	const targets = new Classes(world.allTargets(), (t) => world.targetBits(t));
	const count = book.rules.length;
	const decides = new Array<Ask | undefined>(count);
	const differs = new Array<Ask | undefined>(count);
	const unknown = new Uint8Array(count);
	const lists = new ByList<Came>();
	const list = new Int32Array(world.deciding.length);

	const personsOf = persons.byRule(world.deciding.length);
	const targetsOf = targets.byRule(world.deciding.length);
	for (let rule = 0; rule < count; rule++)
		try {
			if (budget.isOut) throw new TooMany();
			look(rule);
		} catch (e) {
			if (!(e instanceof TooMany)) throw e;
			unknown[rule] = 1;
		}

	/** Looks at whom and what a rule is about, until it is known what it does. */
	function look(rule: number): void {
		for (const person of personsOf[rule]!)
			for (const target of targetsOf[rule]!) {
				if (decides[rule] && differs[rule]) return;
				budget.spend(8);
				const length = candidates(world, persons.bits[person]!, targets.bits[target]!, list, 2);
				// Where two that stand for good come before it, it decides nothing of these.
				if (list[length - 1]! < rule) continue;
				const came = lists.get(list, length, (numbers) => whatComes(world, numbers, budget));
				const ask = (example: Partial<Ask>): Ask => ({
					...ANYWHERE,
					...example,
					person: persons.members[person]![0]!,
					target: targets.members[target]![0]!
				});
				came.list.forEach((n, i) => {
					if (n >= count) return;
					if (came.unknown) unknown[n] = 1;
					if (came.decides[i]) decides[n] ??= ask(came.decides[i]);
					if (came.differs[i]) differs[n] ??= ask(came.differs[i]);
				});
			}
	}

	/** Somebody and something that a rule is about, in circumstances in which it fits, if there are such. */
	function fitting(rule: number): Ask {
		const own = new Together(world, [rule], (mask) => mask, new Budget(world.deciding.length * 1000 + 1_000_000));
		const fits = own.ends.find((e) => e.mask === 1n);
		return {
			...ANYWHERE,
			...(fits ? own.example(fits) : {}),
			person: persons.members[personsOf[rule]![0]!]![0]!,
			target: targets.members[targetsOf[rule]![0]!]![0]!
		};
	}

	const covering = new Covering(
		world,
		(n) => personsOf[n]!.map((p) => persons.bits[p]!),
		(n) => targetsOf[n]!.map((t) => targets.bits[t]!),
		budget
	);
	return book.rules.map((rule, n): Standing => {
		if (differs[n]) return { stands: 'decides', example: differs[n] };
		if (unknown[n]) return { stands: 'unknown' };
		if (decides[n]) return { stands: 'same', example: decides[n] };
		const met = personsOf[n]!.length > 0 && targetsOf[n]!.length > 0;
		if (!met) return { stands: 'nobody' };
		const by = covering.of(n);
		return by ? { stands: 'never', by: by.map((i) => book.rules[i]!.id), example: fitting(n) } : { stands: 'unknown' };
	});
}

/** Puts the rules into a list that may decide about a pair, up to the one that decides whatever the circumstances, for so many such; how many. */
function candidates(world: World, p: Bits, t: Bits, list: Int32Array, ends: number): number {
	let length = 0;
	for (let w = 0; w < world.words; w++) {
		let x = p[w]! & t[w]!;
		while (x !== 0) {
			const n = (w << 5) + lowest(x);
			x &= x - 1;
			list[length++] = n;
			if (world.asks[n] === 0 && !world.deciding[n]!.rule?.daily && --ends === 0) return length;
		}
	}
	return length;
}

/** Lets through what counts up to the second rule that stands for good. */
const uptoSecond =
	(lasting: bigint) =>
	(mask: bigint, settled: bigint): bigint => {
		const stands = mask & settled & lasting;
		const second = stands & (stands - 1n);
		return stands === 0n || second === 0n ? mask : mask & (((second & -second) << 1n) - 1n);
	};

function whatComes(world: World, list: readonly number[], budget: Budget): Came {
	const came: Came = { list, decides: [], differs: [], unknown: false };
	const rule = (n: number) => world.deciding[n]!.rule;
	const lasting = list.reduce((bits, n, i) => (rule(n)?.daily ? bits : bits | (1n << BigInt(i))), 0n);
	let together: Together;
	try {
		together = new Together(world, list, uptoSecond(lasting), budget);
	} catch (e) {
		if (!(e instanceof TooMany)) throw e;
		return { ...came, unknown: true };
	}
	const place = new Map(list.map((n, i) => [n, i]));
	for (const end of together.ends) {
		const standing = [...together.rulesOf(end.mask)];
		for (const [i, n] of standing.entries()) {
			const at = place.get(n)!;
			came.decides[at] ??= together.example(end);
			const next = standing[i + 1];
			const effects = [world.deciding[n]!.effect, next === undefined ? '' : world.deciding[next]!.effect] as const;
			if (next !== undefined && !saysSame(rule(n), rule(next), effects)) came.differs[at] ??= together.example(end);
			// Where its share is used up, the next one decides.
			if (!rule(n)?.daily) break;
		}
	}
	return came;
}

/** Which earlier rules have all of one. */
class Covering {
	constructor(
		private readonly world: World,
		private readonly personsOf: (rule: number) => readonly Bits[],
		private readonly targetsOf: (rule: number) => readonly Bits[],
		private readonly budget: Budget
	) {}

	/** As few as are needed, in their order; null where it takes too long to tell. */
	of(rule: number): number[] | null {
		if (this.budget.isOut) return null;
		const persons = this.personsOf(rule);
		const targets = this.targetsOf(rule);
		const near = (n: number) => persons.some((p) => has(p, n)) && targets.some((t) => has(t, n));
		let by = Array.from({ length: rule }, (_v, n) => n).filter((n) => !this.world.rules[n]!.daily && near(n));
		const covers = (some: readonly number[]): boolean | null => {
			const among = new Uint8Array(this.world.deciding.length);
			for (const n of some) among[n] = 1;
			const lists = new ByList<boolean>();
			const list = new Int32Array(some.length + 1);
			try {
				return persons.every((p) =>
					targets.every((t) => {
						let length = 0;
						this.budget.spend(1 + some.length / 4);
						for (const n of some) {
							if (!has(p, n) || !has(t, n)) continue;
							if (this.world.asks[n] === 0) return true;
							list[length++] = n;
						}
						list[length++] = rule;
						return lists.get(list, length, (numbers) => this.hidden(numbers));
					})
				);
			} catch (e) {
				if (e instanceof TooMany) return null;
				throw e;
			}
		};
		// One that has all of it by itself says most; the earliest of them.
		const alone = by.find((n) => !this.budget.isOut && covers([n]) === true);
		if (alone !== undefined) return [alone];
		if (covers(by) !== true) return null;
		for (const n of [...by].reverse().slice(0, MOST_TRIED)) {
			const fewer = by.filter((x) => x !== n);
			if (!this.budget.isOut && covers(fewer) === true) by = fewer;
		}
		return by;
	}

	/** Whether the last of a list decides in no circumstances. */
	private hidden(list: readonly number[]): boolean {
		const last = 1n << BigInt(list.length - 1);
		const together = new Together(this.world, list, (mask) => mask, this.budget);
		return together.ends.every((e) => (e.mask & last) === 0n || e.mask !== last);
	}
}
