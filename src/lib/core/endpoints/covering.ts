import ipaddr from 'ipaddr.js';
import semver from 'semver';
import { isAddress } from '../network/addresses';
import { fullVersion, type Condition } from './condition';

/**
 * Whether conditions leave anything to others, worked out exactly. Addresses, firmware, and whatever is compared for being equal are cut into
 * the pieces that all conditions together tell apart; patterns, teams and masks with holes are taken as independent of one another, so that
 * what is said to be covered is, whatever devices there are, while something that only such parts cover may not be seen.
 */

/** Dimensions that are cut into pieces; the pieces of a box are the bits of a number. */
type Dimension = 'address' | 'firmware' | 'site' | 'model' | 'name' | 'serial' | 'hardware';

/** A part of all devices: for each dimension the pieces that it takes in, and of the others which hold and which do not. */
interface Box {
	pieces: ReadonlyMap<Dimension, bigint>;
	holds: ReadonlyMap<string, boolean>;
}

/** So many boxes a condition may come to, or what is left of it. */
const MOST = 4000;
/** So many pieces and parts of boxes are looked at or copied, over all conditions together: what takes more is not worked out. */
const WORK = 3_000_000;

class TooMany extends Error {}

const key = (c: Condition & { is: 'like' | 'address' | 'equals' }): string => JSON.stringify(c).toLowerCase();

/** First and last address of a range with a length, as numbers; null where it is not one of IPv4 without holes. */
function ends(range: string): [number, number] | null {
	const [network, mask] = range.split('/') as [string, string];
	let length: number | null;
	if (isAddress(mask)) length = ipaddr.IPv4.parse(mask).prefixLengthFromSubnetMask();
	else if (isAddress(network)) length = Number(mask);
	else length = null;
	if (length === null) return null;
	const size = 2 ** (32 - length);
	const n = ipaddr.IPv4.parse(network).octets.reduce((sum, o) => sum * 256 + o, 0);
	const first = Math.floor(n / size) * size;
	return [first, first + size - 1];
}

/** How all conditions together cut each dimension. */
class Cuts {
	private readonly addresses: number[];
	private readonly versions: string[];
	private readonly values: Map<Dimension, string[]>;

	constructor(conditions: readonly Condition[]) {
		const addresses = new Set<number>([0]);
		const versions = new Set<string>();
		const values = new Map<Dimension, Set<string>>();
		const walk = (c: Condition): void => {
			if (c.is === 'all' || c.is === 'some') return c.of.forEach(walk);
			if (c.is === 'not') return walk(c.of);
			if (c.is === 'address') {
				const e = ends(c.range);
				if (e) addresses.add(e[0]).add(e[1] + 1);
			} else if (c.is === 'firmware') versions.add(fullVersion(c.version)!);
			else if (c.is === 'equals' && c.of !== 'team')
				values.set(c.of, (values.get(c.of) ?? new Set()).add(valueOf(c.of, c.value)));
		};
		conditions.forEach(walk);
		this.addresses = [...addresses].sort((a, b) => a - b);
		this.versions = [...versions].sort(semver.compare);
		this.values = new Map([...values].map(([d, set]) => [d, [...set].sort()]));
	}

	/** How many pieces there are: of addresses one more, for what is none of IPv4; of firmware versions and what lies between, and what is none. */
	private count(d: Dimension): number {
		if (d === 'address') return this.addresses.length + 1;
		if (d === 'firmware') return 2 * this.versions.length + 2;
		return (this.values.get(d)?.length ?? 0) + 1;
	}

	private readonly whole = new Map<Dimension, bigint>();
	/** How much may still be looked at. */
	private work = WORK;

	/** So much more is looked at; throws where that is too much. */
	spend(steps: number): void {
		this.work -= steps;
		if (this.work < 0) throw new TooMany();
	}

	all(d: Dimension): bigint {
		let bits = this.whole.get(d);
		if (bits === undefined) this.whole.set(d, (bits = (1n << BigInt(this.count(d))) - 1n));
		return bits;
	}

	/** The pieces in which a part of a condition holds; null for what is not cut. */
	pieces(c: Condition): { dimension: Dimension; in: bigint } | null {
		const row = (dimension: Dimension, first: number, last: number) => {
			this.spend(1 + this.count(dimension) / 64);
			return {
				dimension,
				in: last < first ? 0n : ((1n << BigInt(last - first + 1)) - 1n) << BigInt(first)
			};
		};
		if (c.is === 'address') {
			const e = ends(c.range);
			if (!e) return null;
			// Both are among the cuts: where a range begins, and where what lies behind it does.
			return row('address', this.addressAt(e[0]), this.addressAt(e[1] + 1) - 1);
		}
		if (c.is === 'firmware') {
			const v = 2 * this.versions.indexOf(fullVersion(c.version)!) + 1;
			// The last piece is what is no version.
			const last = 2 * this.versions.length;
			const from = { '>=': v, '>': v + 1, '<=': 0, '<': 0, '=': v }[c.compare];
			const until = { '>=': last, '>': last, '<=': v, '<': v - 1, '=': v }[c.compare];
			return row('firmware', from, until);
		}
		if (c.is === 'equals' && c.of !== 'team') {
			const n = this.values.get(c.of)!.indexOf(valueOf(c.of, c.value));
			return row(c.of, n, n);
		}
		return null;
	}

	/** Which of the cuts an address is. */
	private addressAt(n: number): number {
		let low = 0;
		let high = this.addresses.length;
		while (low < high) {
			const middle = (low + high) >> 1;
			if (this.addresses[middle]! < n) low = middle + 1;
			else high = middle;
		}
		return low;
	}
}

const valueOf = (of: string, value: string): string => (of === 'site' ? value : value.toLowerCase());

const NOTHING_SAID: Box = { pieces: new Map(), holds: new Map() };
const sizeOf = (b: Box): number => b.pieces.size + b.holds.size;

/** Whether two boxes have anything in common. */
function overlap(a: Box, b: Box, cuts: Cuts): boolean {
	cuts.spend(1 + b.pieces.size + b.holds.size);
	for (const [d, bits] of b.pieces) if (((a.pieces.get(d) ?? cuts.all(d)) & bits) === 0n) return false;
	for (const [k, is] of b.holds) if (a.holds.has(k) && a.holds.get(k) !== is) return false;
	return true;
}

/** What two boxes have in common; null where that is nothing. */
function common(a: Box, b: Box, cuts: Cuts): Box | null {
	if (!overlap(a, b, cuts)) return null;
	cuts.spend(sizeOf(a) + sizeOf(b));
	const pieces = new Map(a.pieces);
	for (const [d, bits] of b.pieces) pieces.set(d, (pieces.get(d) ?? cuts.all(d)) & bits);
	return { pieces, holds: new Map([...a.holds, ...b.holds]) };
}

/** The boxes of which a condition is made up, or of what it leaves (`not`). */
function boxesOf(c: Condition, cuts: Cuts, holds = true): Box[] {
	switch (c.is) {
		case 'any':
			return holds ? [NOTHING_SAID] : [];
		case 'not':
			return boxesOf(c.of, cuts, !holds);
		case 'all':
		case 'some': {
			const parts = c.of.map((x) => boxesOf(x, cuts, holds));
			if ((c.is === 'some') === holds) return parts.flat();
			let boxes: Box[] = [NOTHING_SAID];
			for (const part of parts) {
				boxes = boxes.flatMap((a) => part.flatMap((b) => common(a, b, cuts) ?? []));
				if (boxes.length > MOST) throw new TooMany();
			}
			return boxes;
		}
		default: {
			const p = cuts.pieces(c);
			if (!p) return [{ pieces: new Map(), holds: new Map([[key(c as Condition & { is: 'like' }), holds]]) }];
			const bits = holds ? p.in : cuts.all(p.dimension) & ~p.in;
			return bits === 0n ? [] : [{ pieces: new Map([[p.dimension, bits]]), holds: new Map() }];
		}
	}
}

/** What of a box another leaves, in boxes that have nothing in common. */
function without(a: Box, b: Box, cuts: Cuts): Box[] {
	if (!overlap(a, b, cuts)) return [a];
	cuts.spend(sizeOf(b) * (sizeOf(a) + sizeOf(b)));
	const left: Box[] = [];
	const pieces = new Map(a.pieces);
	for (const [d, bits] of b.pieces) {
		const own = pieces.get(d) ?? cuts.all(d);
		const rest = own & ~bits;
		if (rest !== 0n) left.push({ pieces: new Map(pieces).set(d, rest), holds: a.holds });
		pieces.set(d, own & bits);
	}
	const holds = new Map(a.holds);
	for (const [k, is] of b.holds) {
		if (holds.has(k)) continue;
		left.push({ pieces: new Map(pieces), holds: new Map(holds).set(k, !is) });
		holds.set(k, is);
	}
	return left;
}

/** What earlier conditions leave to one. */
export type Left =
	/** Something, as far as it can be told. */
	| { left: 'some' }
	/** It can hold of no device whatever. */
	| { left: 'impossible' }
	/** Nothing: these earlier ones take all of it. */
	| { left: 'none'; by: number[] }
	/** It takes too long to work out. */
	| { left: 'unknown' };

/** What some boxes leave of others. Throws where that takes too long to work out. */
function rest(own: readonly Box[], taken: readonly (readonly Box[])[], cuts: Cuts): Box[] {
	let left = [...own];
	for (const boxes of taken)
		for (const b of boxes) {
			left = left.flatMap((a) => without(a, b, cuts));
			if (left.length > MOST) throw new TooMany();
		}
	return left;
}

/** So many devices that might be are tried before it is worked out whether there can be any. */
const TRIES = 24;

/**
 * Whether some device that a box takes in is plainly in none of others: a few are made up, spread over its pieces, and tried. Most of what is left
 * is found so; what is not may still be left.
 */
function plainlyLeft(own: Box, taken: readonly (readonly Box[])[], cuts: Cuts): boolean {
	const places = new Map<Dimension, readonly bigint[]>();
	const placesOf = (d: Dimension): readonly bigint[] => {
		let list = places.get(d);
		if (!list) {
			const bits = (own.pieces.get(d) ?? cuts.all(d)).toString(2);
			cuts.spend(bits.length);
			list = [...bits].flatMap((bit, i) => (bit === '1' ? [1n << BigInt(bits.length - 1 - i)] : []));
			places.set(d, list);
		}
		return list;
	};
	let state = 1;
	// A linear congruential generator (Knuth, The Art of Computer Programming 2, 3.3.4): the same tries for the same conditions.
	const draw = (): number => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
	for (let n = 0; n < TRIES; n++) {
		// Most parts hold of few devices: the first that is tried has none that it need not have.
		const likely = n === 0 ? 0 : 0.5;
		const at = new Map<Dimension, bigint>();
		const holds = new Map(own.holds);
		const inside = (b: Box): boolean => {
			for (const [d, bits] of b.pieces) {
				let piece = at.get(d);
				if (piece === undefined) {
					const list = placesOf(d);
					at.set(d, (piece = list[Math.floor(draw() * list.length)]!));
				}
				if ((piece & bits) === 0n) return false;
			}
			for (const [k, is] of b.holds) {
				let has = holds.get(k);
				if (has === undefined) holds.set(k, (has = draw() < likely));
				if (has !== is) return false;
			}
			return true;
		};
		const met = taken.some((boxes) => {
			cuts.spend(1 + boxes.length);
			return boxes.some(inside);
		});
		if (!met) return true;
	}
	return false;
}

/** What one condition is left by those before it. */
function leftOf(own: readonly Box[], before: readonly (readonly Box[] | null)[], cuts: Cuts): Left {
	if (own.length === 0) return { left: 'impossible' };
	const known = before.filter((b) => b !== null);
	if (own.some((o) => plainlyLeft(o, known, cuts))) return { left: 'some' };
	let by = before.flatMap((b, j) => (b?.some((x) => own.some((o) => overlap(o, x, cuts))) ? [j] : []));
	const leaves = (them: readonly number[]) =>
		rest(
			own,
			them.map((j) => before[j]!),
			cuts
		).length > 0;
	if (leaves(by)) return { left: 'some' };
	// Those that are not needed for it are left out, the last first: what stands earlier decides.
	for (const j of [...by].reverse()) {
		const fewer = by.filter((x) => x !== j);
		if (fewer.length && !leaves(fewer)) by = fewer;
	}
	return { left: 'none', by };
}

/** What each condition in a row is left by those before it. */
export function leftTo(conditions: readonly Condition[]): Left[] {
	const cuts = new Cuts(conditions);
	const within = <T>(work: () => T): T | null => {
		try {
			return work();
		} catch (e) {
			if (e instanceof TooMany) return null;
			throw e;
		}
	};
	const boxes = conditions.map((c) => within(() => boxesOf(c, cuts)));
	return boxes.map(
		(own, i): Left => (own && within(() => leftOf(own, boxes.slice(0, i), cuts))) ?? { left: 'unknown' }
	);
}
