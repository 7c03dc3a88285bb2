import type { Bits } from './bits';

/** The rules that speak of something, by its kind and its id. */
export class Mentions<Kind extends string> {
	private readonly of: Record<Kind, Map<string, number[]>>;
	/** Whether any rule speaks of anything. */
	any = false;
	constructor(kinds: readonly Kind[]) {
		this.of = Object.fromEntries(kinds.map((k) => [k, new Map()])) as Record<Kind, Map<string, number[]>>;
	}
	add(kind: Kind, id: string, rule: number): void {
		this.any = true;
		const rules = this.of[kind].get(id);
		if (rules) rules.push(rule);
		else this.of[kind].set(id, [rule]);
	}
	get(kind: Kind, id: string): readonly number[] {
		return this.of[kind].get(id) ?? NONE;
	}
}
export const NONE: readonly number[] = [];

/** What rules take in and what they leave out. */
export class Sides<Kind extends string> {
	readonly inside: Mentions<Kind>;
	readonly outside: Mentions<Kind>;
	constructor(
		kinds: readonly Kind[],
		private readonly words: number
	) {
		this.inside = new Mentions(kinds);
		this.outside = new Mentions(kinds);
	}
	/** The rules that take in what answers to these names. */
	of(names: (each: (kind: Kind, id: string) => void) => void): Bits {
		const bits = new Uint32Array(this.words);
		names((kind, id) => {
			for (const rule of this.inside.get(kind, id)) bits[rule >>> 5]! |= 1 << (rule & 31);
		});
		if (this.outside.any)
			names((kind, id) => {
				for (const rule of this.outside.get(kind, id)) bits[rule >>> 5]! &= ~(1 << (rule & 31));
			});
		return bits;
	}
}
