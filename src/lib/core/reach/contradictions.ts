import { Classes } from './classes';
import { outcomesOf } from './outcomes';
import { ANYWHERE, OTHERWISE, type Ask, type Reacher } from './rules';
import { Budget, TooMany } from './together';
import { DIMENSIONS, type World } from './world';

/** A desktop or app that people are granted, and what it needs inside. */
export interface Relying {
	id: string;
	/** The pools on whose machines it opens. */
	pools: readonly string[];
	/** Private services that it does not work without. */
	services: readonly string[];
	/** Everybody to whom it is granted. */
	people: readonly Reacher[];
}

/** A grant and rules that contradict each other: it is granted, and what it needs is refused whatever the circumstances. */
export interface Contradiction {
	publication: string;
	service: string;
	people: readonly Reacher[];
	/** The rules that refuse, in one circumstance or another, in their order; `OTHERWISE` where none does. */
	rules: readonly string[];
	/** One of them, in circumstances that are as good as any. */
	example: Ask;
}

/** How much is looked at before the rest is left. */
const WORK = 20_000_000;

/**
 * People who are granted something and are refused what it needs, wherever they are, at every hour, on every device, on the machines of its pools.
 * @returns what was found, most people first; `exact` false where something takes too long to work out
 */
export function contradictions(
	world: World,
	relying: readonly Relying[],
	budget = new Budget(WORK)
): { found: Contradiction[]; exact: boolean } {
	const found: Contradiction[] = [];
	const pool = world.dimensions[DIMENSIONS.indexOf('pool')]!;
	let exact = true;
	for (const { id, pools, services, people } of relying) {
		if (services.length === 0 || people.length === 0) continue;
		const classes = new Classes(people, (p) => world.rulesFor(p));
		const within = new Map(
			pools.length ? [['pool', new Set(pools.map((p) => pool.classOf({ ...ANYWHERE, pool: p })))] as const] : []
		);
		for (const service of services) {
			const target = { kind: 'service', id: service } as const;
			const bits = world.targetBits(target);
			const shut: Reacher[] = [];
			const rules = new Set<number>();
			let example: Ask | null = null;
			for (const [n, who] of classes.bits.entries()) {
				const own: { first: number; example: Ask }[] = [];
				let open = false;
				try {
					for (const { first, together, end } of outcomesOf(world, who, bits, budget, within)) {
						open ||= world.deciding[first]!.effect !== 'refuse';
						if (open) break;
						own.push({
							first,
							example: {
								...ANYWHERE,
								pool: pools[0] ?? null,
								...together.example(end),
								person: classes.members[n]![0]!,
								target
							}
						});
					}
				} catch (e) {
					if (!(e instanceof TooMany)) throw e;
					exact = false;
					continue;
				}
				if (open) continue;
				shut.push(...classes.members[n]!);
				for (const { first } of own) rules.add(first);
				example ??= own[0]!.example;
			}
			if (example) found.push({ publication: id, service, people: shut, rules: inOrder(world, rules), example });
		}
	}
	found.sort((a, b) => b.people.length - a.people.length);
	return { found, exact };
}

const inOrder = (world: World, numbers: ReadonlySet<number>): string[] =>
	[...numbers].sort((a, b) => a - b).map((n) => world.deciding[n]!.rule?.id ?? OTHERWISE);
