import { Alike, each, type Bits } from './bits';

/** Things, put together where no rule tells them apart. */
export class Classes<T> {
	private readonly alike = new Alike();
	readonly members: T[][] = [];

	constructor(things: Iterable<T>, bitsOf: (thing: T) => Bits) {
		for (const thing of things) {
			const n = this.alike.numberOf(bitsOf(thing));
			(this.members[n] ??= []).push(thing);
		}
	}
	/** For each class the rules that are about it. */
	get bits(): readonly Bits[] {
		return this.alike.distinct;
	}

	/** For each of so many rules, the classes that it is about. */
	byRule(count: number): readonly (readonly number[])[] {
		const of = Array.from({ length: count }, (): number[] => []);
		this.bits.forEach((bits, n) => {
			for (const rule of each(bits)) of[rule]!.push(n);
		});
		return of;
	}
}

/** What is worked out of a list of numbers, once for lists that are the same. */
export class ByList<T> {
	private readonly kept = new Map<number, { list: number[]; value: T }[]>();

	/** @param length how many of the numbers count; they are copied where they are kept. */
	get(numbers: Int32Array, length: number, make: (list: number[]) => T): T {
		// FNV-1a (Fowler, Noll, Vo), number by number.
		let hash = 0x811c9dc5;
		for (let i = 0; i < length; i++) hash = Math.imul(hash ^ numbers[i]!, 0x01000193);
		const same = this.kept.get(hash);
		for (const k of same ?? []) {
			let i = k.list.length === length ? 0 : -1;
			while (i >= 0 && i < length && k.list[i] === numbers[i]) i++;
			if (i === length) return k.value;
		}
		const list = [...numbers.subarray(0, length)];
		const kept = { list, value: make(list) };
		if (same) same.push(kept);
		else this.kept.set(hash, [kept]);
		return kept.value;
	}
}
