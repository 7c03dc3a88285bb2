/** Sets of small numbers, as bits of words of 32. All of one world are as long as one another. */
export type Bits = Uint32Array;

export const wordsFor = (count: number): number => (count + 31) >>> 5;
export const has = (b: Bits, n: number): boolean => ((b[n >>> 5]! >>> (n & 31)) & 1) === 1;
export const put = (b: Bits, n: number): void => {
	b[n >>> 5]! |= 1 << (n & 31);
};
/** Which words of a set have anything in them. */
export function filled(b: Bits): number[] {
	const words: number[] = [];
	for (let w = 0; w < b.length; w++) if (b[w] !== 0) words.push(w);
	return words;
}

/** The numbers of a set, the lowest first. */
export function* each(b: Bits): Generator<number> {
	for (let w = 0; w < b.length; w++) for (let x = b[w]!; x !== 0; x &= x - 1) yield (w << 5) + lowest(x);
}
/** The number of the lowest bit of a word that is not 0. */
export const lowest = (word: number): number => 31 - Math.clz32(word & -word);

/** Gives things that have the same bits the same number, from 0 on, in the order in which they come. */
export class Alike {
	private readonly byHash = new Map<number, number[]>();
	readonly distinct: Bits[] = [];

	numberOf(bits: Bits): number {
		// FNV-1a (Fowler, Noll, Vo), word by word.
		let hash = 0x811c9dc5;
		for (let w = 0; w < bits.length; w++) hash = Math.imul(hash ^ bits[w]!, 0x01000193);
		const same = this.byHash.get(hash);
		for (const n of same ?? []) {
			const other = this.distinct[n]!;
			let w = 0;
			while (w < bits.length && bits[w] === other[w]) w++;
			if (w === bits.length) return n;
		}
		const n = this.distinct.push(bits) - 1;
		if (same) same.push(n);
		else this.byHash.set(hash, [n]);
		return n;
	}
}
