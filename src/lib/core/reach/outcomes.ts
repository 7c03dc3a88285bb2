import { each, type Bits } from './bits';
import { Together, type Budget, type Holding } from './together';
import type { World } from './world';

/** Behind the first rule that stands for good nothing counts. */
const firstAlone = (mask: bigint, settled: bigint): bigint => {
	const stands = mask & settled;
	return stands === 0n ? mask : mask & (((stands & -stands) << 1n) - 1n);
};

/** What one rule decides in some circumstances. */
export interface Decided {
	/** The number of what decides among `deciding` of the world. */
	first: number;
	together: Together;
	end: Holding;
}

/**
 * All that becomes of a class of people who want to reach a class of targets, over all circumstances, with nothing of a day's share used.
 * @param within of dimensions that are named, the classes that count; of others all do. Throws `TooMany`.
 */
export function* outcomesOf(
	world: World,
	people: Bits,
	targets: Bits,
	budget: Budget,
	within?: ReadonlyMap<string, ReadonlySet<number>>
): Generator<Decided> {
	const list: number[] = [];
	for (const rule of each(targets)) {
		if (((people[rule >>> 5]! >>> (rule & 31)) & 1) === 0) continue;
		list.push(rule);
		if (world.asks[rule] === 0) break;
	}
	const together = new Together(world, list, firstAlone, budget, within);
	for (const end of together.ends) {
		const [first] = together.rulesOf(end.mask);
		yield { first: first!, together, end };
	}
}
