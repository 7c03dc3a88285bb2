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

/** So many boxes are looked at; what takes more is not worked out. */
const MOST = 4000;

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

	all(d: Dimension): bigint {
		return (1n << BigInt(this.count(d))) - 1n;
	}

	/** The pieces in which a part of a condition holds; null for what is not cut. */
	pieces(c: Condition): { dimension: Dimension; in: bigint } | null {
		const set = (dimension: Dimension, holds: (i: number) => boolean) => {
			let bits = 0n;
			for (let i = 0; i < this.count(dimension); i++) if (holds(i)) bits |= 1n << BigInt(i);
			return { dimension, in: bits };
		};
		if (c.is === 'address') {
			const e = ends(c.range);
			if (!e) return null;
			return set(
				'address',
				(i) => i < this.addresses.length && this.addresses[i]! >= e[0] && this.addresses[i]! <= e[1]
			);
		}
		if (c.is === 'firmware') {
			const v = 2 * this.versions.indexOf(fullVersion(c.version)!) + 1;
			const last = 2 * this.versions.length + 1;
			const holds = {
				'>=': (i: number) => i >= v,
				'>': (i: number) => i > v,
				'<=': (i: number) => i <= v,
				'<': (i: number) => i < v,
				'=': (i: number) => i === v
			};
			return set('firmware', (i) => i < last && holds[c.compare](i));
		}
		if (c.is === 'equals' && c.of !== 'team') {
			const n = this.values.get(c.of)!.indexOf(valueOf(c.of, c.value));
			return set(c.of, (i) => i === n);
		}
		return null;
	}
}

const valueOf = (of: string, value: string): string => (of === 'site' ? value : value.toLowerCase());

const NOTHING_SAID: Box = { pieces: new Map(), holds: new Map() };

/** What two boxes have in common; null where that is nothing. */
function common(a: Box, b: Box, cuts: Cuts): Box | null {
	const pieces = new Map(a.pieces);
	for (const [d, bits] of b.pieces) {
		const both = (pieces.get(d) ?? cuts.all(d)) & bits;
		if (both === 0n) return null;
		pieces.set(d, both);
	}
	const holds = new Map(a.holds);
	for (const [k, is] of b.holds) {
		if (holds.has(k) && holds.get(k) !== is) return null;
		holds.set(k, is);
	}
	return { pieces, holds };
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
	if (!common(a, b, cuts)) return [a];
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

/** What some boxes leave of others; null where it takes too long to work out. */
function rest(own: readonly Box[], taken: readonly (readonly Box[])[], cuts: Cuts): Box[] | null {
	let left = [...own];
	for (const boxes of taken)
		for (const b of boxes) {
			left = left.flatMap((a) => without(a, b, cuts));
			if (left.length > MOST) return null;
		}
	return left;
}

/** What each condition in a row is left by those before it. */
export function leftTo(conditions: readonly Condition[]): Left[] {
	const cuts = new Cuts(conditions);
	const boxes = conditions.map((c): Box[] | null => {
		try {
			return boxesOf(c, cuts);
		} catch (e) {
			if (e instanceof TooMany) return null;
			throw e;
		}
	});
	return boxes.map((own, i): Left => {
		if (own === null) return { left: 'unknown' };
		if (own.length === 0) return { left: 'impossible' };
		let by = boxes.slice(0, i).flatMap((b, j) => (b?.some((x) => own.some((o) => common(o, x, cuts))) ? [j] : []));
		const without = (them: readonly number[]) =>
			rest(
				own,
				them.map((j) => boxes[j]!),
				cuts
			);
		const left = without(by);
		if (left === null) return { left: 'unknown' };
		if (left.length > 0) return { left: 'some' };
		// Those that are not needed for it are left out, the last first: what stands earlier decides.
		for (const j of [...by].reverse()) {
			const fewer = by.filter((x) => x !== j);
			if (fewer.length && without(fewer)?.length === 0) by = fewer;
		}
		return { left: 'none', by };
	});
}
