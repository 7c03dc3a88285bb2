import { has } from './bits';
import type { Circumstances } from './rules';
import type { World } from './world';

/** Which rules of a list hold together in some circumstances, and how they come to. */
export interface Holding {
	/** The rules that hold, as bits by their position in the list. */
	mask: bigint;
	/** The ways here: from what held before a dimension was looked at, by which group of its classes. */
	ways: { from: Holding; group: number }[];
}

/** A dimension, and the classes of it that count. */
export interface Only {
	/** Its number among the dimensions of the world. */
	dimension: number;
	classes: number[];
}

/** So many sets of rules are followed for one list; what has more is not worked out. */
const MOST = 20_000;

export class TooMany extends Error {}

/** How much may be looked at, over all that is worked out at once: about 30 ns each. */
export class Budget {
	constructor(private left: number) {}
	/** Throws `TooMany` where that is too much. */
	spend(steps: number): void {
		this.left -= steps;
		if (this.left < 0) throw new TooMany();
	}
	/** Nothing more can be looked at. */
	get isOut(): boolean {
		return this.left <= 0;
	}
}

/**
 * Everything that a list of rules can come to over all circumstances: exact, without looking at each circumstance. Dimensions are taken one after
 * another; what has been left standing so far is all that counts of the way there.
 */
export class Together {
	readonly ends: readonly Holding[];
	/** The dimensions that any rule of the list asks something of, with groups of classes that none of them tells apart. */
	private readonly steps: { dimension: number; masks: bigint[]; groups: number[][] }[] = [];

	/**
	 * @param list numbers of rules, in their order
	 * @param cut takes out of a set what can no longer count, given the rules that stand whatever is still to be looked at
	 * @param within of dimensions that are named, the classes that count; of others all do. Throws `TooMany`.
	 */
	constructor(
		private readonly world: World,
		private readonly list: readonly number[],
		cut: (mask: bigint, settled: bigint) => bigint,
		budget: Budget,
		within?: ReadonlyMap<string, ReadonlySet<number>>
	) {
		const all = (1n << BigInt(list.length)) - 1n;
		/** Sets of many rules take longer to put together. */
		const wide = 1 + list.length / 256;
		let asked = 0;
		for (const n of list) asked |= world.asks[n]!;
		world.dimensions.forEach((d, dimension) => {
			if ((asked & (1 << dimension)) === 0) return;
			const byMask = new Map<bigint, number>();
			const step = { dimension, masks: [] as bigint[], groups: [] as number[][] };
			const asking = list.flatMap((n, i) => (world.asks[n]! & (1 << dimension) ? [{ n, bit: 1n << BigInt(i) }] : []));
			const only = within?.get(d.name);
			budget.spend(d.classes.length * (1 + asking.length * wide));
			d.classes.forEach((bits, c) => {
				if (only && !only.has(c)) return;
				let mask = all;
				for (const { n, bit } of asking) if (!has(bits, n)) mask ^= bit;
				const known = byMask.get(mask);
				if (known !== undefined) return void step.groups[known]!.push(c);
				byMask.set(mask, step.masks.push(mask) - 1);
				step.groups.push([c]);
			});
			this.steps.push(step);
		});
		let remaining = asked;
		const settled = () =>
			list.reduce((bits, n, i) => ((world.asks[n]! & remaining) === 0 ? bits | (1n << BigInt(i)) : bits), 0n);
		let layer = new Map<bigint, Holding>();
		const first = cut(all, settled());
		layer.set(first, { mask: first, ways: [] });
		let followed = 0;
		for (const step of this.steps) {
			remaining &= ~(1 << step.dimension);
			const stands = settled();
			const next = new Map<bigint, Holding>();
			for (const from of layer.values())
				step.masks.forEach((m, group) => {
					if (++followed > MOST) throw new TooMany();
					budget.spend(4 * wide);
					const mask = cut(from.mask & m, stands);
					const known = next.get(mask);
					if (known) known.ways.push({ from, group });
					else next.set(mask, { mask, ways: [{ from, group }] });
				});
			layer = next;
		}
		this.ends = [...layer.values()];
	}

	/** The numbers of the rules of a set, the first first. */
	*rulesOf(mask: bigint): Generator<number> {
		for (let i = 0; i < this.list.length; i++) if ((mask >> BigInt(i)) & 1n) yield this.list[i]!;
	}

	/** Circumstances that come to a set; what is not there makes no difference. */
	example(end: Holding): Partial<Circumstances> {
		let found: Partial<Circumstances> = {};
		let at = end;
		for (let s = this.steps.length - 1; s >= 0; s--) {
			const { from, group } = at.ways[0]!;
			const step = this.steps[s]!;
			found = { ...this.world.dimensions[step.dimension]!.examples[step.groups[group]![0]!]![0]!, ...found };
			at = from;
		}
		return found;
	}

	/** Of the dimensions, those of which some classes never come to any of these sets, with those that do. */
	only(ends: readonly Holding[]): Only[] {
		const only: Only[] = [];
		let layer = new Set(ends);
		for (let s = this.steps.length - 1; s >= 0; s--) {
			const step = this.steps[s]!;
			const groups = new Set<number>();
			const before = new Set<Holding>();
			for (const end of layer)
				for (const { from, group } of end.ways) {
					groups.add(group);
					before.add(from);
				}
			if (groups.size < step.groups.length)
				only.unshift({
					dimension: step.dimension,
					classes: [...groups].flatMap((g) => step.groups[g]!).sort((a, b) => a - b)
				});
			layer = before;
		}
		return only;
	}
}
