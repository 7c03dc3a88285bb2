import { looseOrder } from '../images/sheet';

/** What two packages can both want to be. */
export const CLASH_KINDS = ['file', 'setting', 'file type', 'service', 'port'] as const;
export type ClashKind = (typeof CLASH_KINDS)[number];

/** What a package lays claim to. `content` is what it is to be there: a digest, a value, a launch target. */
export interface Claim {
	kind: ClashKind;
	/** The path, key, file type, service or port. */
	what: string;
	content: string;
}

export interface Claimant {
	id: string;
	/** The lower one wins. */
	order: number;
	claims: Iterable<Claim>;
}

export interface Clash {
	kind: ClashKind;
	what: string;
	/** The package whose content people get. */
	wins: string;
	loses: string;
}

/** Packages that meet, and over what. */
export interface ClashPair {
	a: string;
	b: string;
	counts: Record<ClashKind, number>;
	total: number;
	/** The first of them, at most DETAILS; `total` counts all. */
	clashes: Clash[];
}

/** So many clashes of a pair are kept by name. */
export const DETAILS = 500;

/**
 * The clashes of all packages with all others: the same path, setting, file type, service or port with different content.
 * One pass over all claims with one table of who claimed a thing first; the rare further claimants are kept beside it. Of two,
 * the one earlier in the order wins; of the same order, the one of the lower id.
 */
export function findClashes(claimants: readonly Claimant[]): ClashPair[] {
	const first = new Map<string, number>();
	const owner: number[] = [];
	const content: string[] = [];
	const more = new Map<number, { owner: number; content: string }[]>();
	const pairs = new Map<number, ClashPair>();
	const n = claimants.length;
	const clash = (x: number, y: number, claim: Claim) => {
		const [i, j] = x < y ? [x, y] : [y, x];
		const [a, b] = [claimants[i]!, claimants[j]!];
		let pair = pairs.get(i * n + j);
		if (!pair)
			pairs.set(
				i * n + j,
				(pair = {
					a: a.id,
					b: b.id,
					counts: { file: 0, setting: 0, 'file type': 0, service: 0, port: 0 },
					total: 0,
					clashes: []
				})
			);
		pair.counts[claim.kind]++;
		if (++pair.total > DETAILS) return;
		const aWins = a.order < b.order || (a.order === b.order && a.id < b.id);
		pair.clashes.push({
			kind: claim.kind,
			what: claim.what,
			wins: aWins ? a.id : b.id,
			loses: aWins ? b.id : a.id
		});
	};
	claimants.forEach((claimant, x) => {
		for (const claim of claimant.claims) {
			const key = claim.kind === 'file' ? claim.what : `${claim.kind}\0${claim.what}`;
			const at = first.get(key);
			if (at === undefined) {
				first.set(key, owner.length);
				owner.push(x);
				content.push(claim.content);
				continue;
			}
			if (owner[at] === x) continue;
			if (content[at] !== claim.content) clash(owner[at]!, x, claim);
			const others = more.get(at);
			if (others) {
				for (const o of others) if (o.owner !== x && o.content !== claim.content) clash(o.owner, x, claim);
				others.push({ owner: x, content: claim.content });
			} else more.set(at, [{ owner: x, content: claim.content }]);
		}
	});
	return [...pairs.values()].sort((p, q) => q.total - p.total || looseOrder(p.a, q.a) || looseOrder(p.b, q.b));
}

/** Clashes in words: `3 files and 1 file type`. */
export function clashWords(counts: Record<ClashKind, number>): string {
	const parts = CLASH_KINDS.filter((k) => counts[k] > 0).map((k) => `${counts[k]} ${k}${counts[k] === 1 ? '' : 's'}`);
	return parts.length < 2 ? (parts[0] ?? 'nothing') : `${parts.slice(0, -1).join(', ')} and ${parts.at(-1)!}`;
}
