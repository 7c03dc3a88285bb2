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
 * Most files lie in folders that one package alone has anything in: those are passed over. Of the others, and of all that is no file, one
 * table says who claimed a thing first; the rare further claimants are kept beside it. Of two, the one earlier in the order wins; of the
 * same order, the one of the lower id.
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
	const all = claimants.map((c) => {
		const claims = [...c.claims];
		return { claims, runs: runsOf(claims) };
	});
	const shared = sharedFolders(all.map((c) => c.runs));
	all.forEach(({ claims, runs }, x) => {
		const taken = runs.filter((r) => r.folder === null || shared.has(r.folder));
		for (const { from, to } of taken)
			for (let i = from; i < to; i++) {
				const claim = claims[i]!;
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
	// By the rank of their names among all: comparing two names costs more than finding what they clash over.
	const rank = new Array<number>(n);
	claimants
		.map((_c, i) => i)
		.sort((x, y) => looseOrder(claimants[x]!.id, claimants[y]!.id))
		.forEach((x, position) => (rank[x] = position));
	const rankOf = (key: number) => rank[Math.floor(key / n)]! * n + rank[key % n]!;
	return [...pairs]
		.map(([key, pair]) => ({ pair, rank: rankOf(key) }))
		.sort((p, q) => q.pair.total - p.pair.total || p.rank - q.rank)
		.map(({ pair }) => pair);
}

/** Claims that come one after the other and lie in the same folder, or are no files (null). */
interface Run {
	folder: string | null;
	/** The first of them, and the one after the last. */
	from: number;
	to: number;
}

/** A package's claims by folder: its files come folder by folder, so that most lie where the one before does. */
function runsOf(claims: readonly Claim[]): Run[] {
	const runs: Run[] = [];
	let last: Run | undefined;
	claims.forEach(({ kind, what }, i) => {
		const stays = last && (kind === 'file' ? last.folder !== null && liesIn(last.folder, what) : last.folder === null);
		if (!stays) {
			const folder = kind === 'file' ? what.slice(0, Math.max(0, what.lastIndexOf('/'))) : null;
			runs.push((last = { folder, from: i, to: i }));
		}
		last!.to = i + 1;
	});
	return runs;
}

const SLASH = 47;
const liesIn = (folder: string, file: string): boolean =>
	file.charCodeAt(folder.length) === SLASH && file.startsWith(folder) && !file.includes('/', folder.length + 1);

/** Folders that more than one package has a file in. */
function sharedFolders(all: readonly (readonly Run[])[]): ReadonlySet<string> {
	const owners = new Map<string, number>();
	const shared = new Set<string>();
	all.forEach((runs, x) => {
		for (const { folder } of runs) {
			if (folder === null) continue;
			const owner = owners.get(folder);
			if (owner === undefined) owners.set(folder, x);
			else if (owner !== x) shared.add(folder);
		}
	});
	return shared;
}

/** Clashes in words: `3 files and 1 file type`. */
export function clashWords(counts: Record<ClashKind, number>): string {
	const parts = CLASH_KINDS.filter((k) => counts[k] > 0).map((k) => `${counts[k]} ${k}${counts[k] === 1 ? '' : 's'}`);
	return parts.length < 2 ? (parts[0] ?? 'nothing') : `${parts.slice(0, -1).join(', ')} and ${parts.at(-1)!}`;
}
