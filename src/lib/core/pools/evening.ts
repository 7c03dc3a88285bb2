import { sizeWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';

export interface EveningVolume {
	id: string;
	/** Bytes. */
	size: number;
	/** Bytes in use, the disks below included. */
	used: number;
}

export interface EveningDisk {
	machine: string;
	volume: string;
	/** Bytes that it takes, and that would be moved. */
	bytes: number;
}

export interface DiskMove {
	machine: string;
	from: string;
	to: string;
	bytes: number;
}

/**
 * Moves disks between the volumes of one site so that none is filled beyond a share (0–1), moving as few bytes as can be
 * found. From each volume that is over, disks are chosen whose sum is just enough: the least sum of a subset not under a
 * bound (a subset-sum problem, solved by reachable sums on a grid of 4,096 steps, then tightened). The chosen disks go to
 * the volumes with the least room that still takes them, largest disks first (best fit decreasing); where that leaves one
 * without a volume, it is tried with smaller disks.
 *
 * Refused, with the reason, when the site has not room enough, or when no disk can be moved where it is over.
 */
export function evenOut(
	volumes: readonly EveningVolume[],
	disks: readonly EveningDisk[],
	share: number
): Explained<{ moves: DiskMove[]; bytes: number } | null> {
	const facts: Fact[] = [];
	const say = (words: string, side?: Fact['side']) =>
		facts.push({ words, ...(side ? { side } : {}), source: 'volumes' });
	const total = volumes.reduce((n, v) => n + v.size * share, 0);
	const used = volumes.reduce((n, v) => n + v.used, 0);
	const over = volumes.filter((v) => v.used > v.size * share);
	if (over.length === 0) {
		say(`every volume is under ${percent(share)} already`, 'for');
		return { value: { moves: [], bytes: 0 }, facts };
	}
	for (const v of over)
		say(`${v.id} is ${percent(v.used / v.size)} full, ${sizeWords(v.used - v.size * share)} over ${percent(share)}`);
	if (used > total) {
		say(
			`${sizeWords(used - total)} more are in use than ${percent(share)} of all volumes together: add room, or take a higher share`,
			'against'
		);
		return { value: null, facts };
	}
	const room = new Map(volumes.filter((v) => v.used < v.size * share).map((v) => [v.id, v.size * share - v.used]));
	const byVolume = new Map<string, EveningDisk[]>();
	for (const d of disks) {
		const list = byVolume.get(d.volume);
		if (list) list.push(d);
		else byVolume.set(d.volume, [d]);
	}
	const moves: DiskMove[] = [];
	// The fullest first: it has the least choice.
	for (const v of [...over].sort((a, b) => b.used - b.size * share - (a.used - a.size * share))) {
		const excess = v.used - v.size * share;
		const own = byVolume.get(v.id) ?? [];
		const have = own.reduce((n, d) => n + d.bytes, 0);
		if (have < excess) {
			say(
				`${v.id} holds only ${sizeWords(have)} in machine disks: the rest of it cannot be moved from here`,
				'against'
			);
			return { value: null, facts };
		}
		const placed = fitJust(own, excess, room);
		if (!placed) {
			say(`no disks of ${v.id} that are enough find room on the others`, 'against');
			return { value: null, facts };
		}
		for (const { disk, to } of placed) {
			room.set(to, room.get(to)! - disk.bytes);
			moves.push({ machine: disk.machine, from: v.id, to, bytes: disk.bytes });
		}
	}
	const bytes = moves.reduce((n, m) => n + m.bytes, 0);
	const least = over.reduce((n, v) => n + v.used - v.size * share, 0);
	say(`${sizeWords(bytes)} are moved; ${sizeWords(least)} have to be at least`, 'for');
	return { value: { moves, bytes }, facts };
}

const percent = (share: number) => `${Math.round(share * 100)} %`;

/** Disks that are enough together, as little over as can be found, with a volume for each; null when there are none. */
function fitJust(
	disks: readonly EveningDisk[],
	excess: number,
	room: ReadonlyMap<string, number>
): { disk: EveningDisk; to: string }[] | null {
	const largest = Math.max(0, ...room.values());
	let open = disks.filter((d) => d.bytes > 0 && d.bytes <= largest).sort((a, b) => a.bytes - b.bytes);
	for (let tries = 0; tries < 12; tries++) {
		const chosen = justEnough(open, excess);
		if (!chosen) return null;
		const placed = fitAll(chosen, room);
		if ('placed' in placed) return placed.placed;
		// Too large for what room is left: without the likes of it.
		open = open.filter((d) => d.bytes < placed.without.bytes);
	}
	return null;
}

function fitAll(
	chosen: readonly EveningDisk[],
	room: ReadonlyMap<string, number>
): { placed: { disk: EveningDisk; to: string }[] } | { without: EveningDisk } {
	const left = new Map(room);
	const placed: { disk: EveningDisk; to: string }[] = [];
	for (const disk of [...chosen].sort((a, b) => b.bytes - a.bytes)) {
		let to = '';
		let best = Infinity;
		for (const [id, free] of left) if (free >= disk.bytes && free < best) [to, best] = [id, free];
		if (to === '') return { without: disk };
		left.set(to, best - disk.bytes);
		placed.push({ disk, to });
	}
	return { placed };
}

const GRID = 4096;

/** A subset with the least sum that can be found not under `excess`; disks ascending. Null when all together are not enough. */
function justEnough(disks: readonly EveningDisk[], excess: number): EveningDisk[] | null {
	const total = disks.reduce((n, d) => n + d.bytes, 0);
	if (total < excess) return null;
	// Sums from the excess up to it and the smallest disk above it are of interest: none beyond is needed.
	const single = disks.find((d) => d.bytes >= excess);
	const greedy = greedyEnough(disks, excess);
	let best = single && single.bytes <= sum(greedy) ? [single] : greedy;
	const limit = sum(best);
	const unit = limit / GRID;
	if (unit > 0 && disks.length > 1) {
		// reached[s]: the last disk of a way to s steps; sizes rounded up, so that a sum is never under what it says.
		const reached = new Int32Array(GRID + 1).fill(-1);
		const before = new Int32Array(GRID + 1).fill(-1);
		const exact = new Float64Array(GRID + 1);
		reached[0] = -2;
		disks.forEach((d, i) => {
			const step = Math.round(d.bytes / unit);
			if (step === 0) return;
			for (let s = GRID; s >= step; s--) {
				if (reached[s] !== -1 || reached[s - step] === -1) continue;
				reached[s] = i;
				before[s] = s - step;
				exact[s] = exact[s - step]! + d.bytes;
			}
		});
		for (let s = 1; s <= GRID; s++) {
			if (reached[s] === -1 || exact[s]! < excess || exact[s]! >= sum(best)) continue;
			const chosen: EveningDisk[] = [];
			for (let at = s; at > 0; at = before[at]!) chosen.push(disks[reached[at]!]!);
			if (new Set(chosen).size === chosen.length && sum(chosen) >= excess && sum(chosen) < sum(best)) best = chosen;
		}
	}
	return tighten(best, disks, excess);
}

const sum = (disks: readonly EveningDisk[]) => disks.reduce((n, d) => n + d.bytes, 0);

/** The largest that do not go over, one after the other, and the smallest that closes the gap. */
function greedyEnough(disks: readonly EveningDisk[], excess: number): EveningDisk[] {
	const chosen: EveningDisk[] = [];
	let left = excess;
	for (let i = disks.length - 1; i >= 0 && left > 0; i--)
		if (disks[i]!.bytes <= left) {
			chosen.push(disks[i]!);
			left -= disks[i]!.bytes;
		}
	if (left > 0) {
		const taken = new Set(chosen);
		const last = disks.find((d) => d.bytes >= left && !taken.has(d));
		if (last) chosen.push(last);
		else return [...disks];
	}
	return chosen;
}

/** Swaps a chosen disk for a smaller one, or drops one, as long as what is left is still enough. */
function tighten(chosen: EveningDisk[], disks: readonly EveningDisk[], excess: number): EveningDisk[] {
	const taken = new Set(chosen);
	for (let rounds = 0; rounds < 40; rounds++) {
		const over = sum([...taken]) - excess;
		let best: { out: EveningDisk; in?: EveningDisk; saves: number } | null = null;
		for (const out of taken) {
			if (out.bytes <= over && (!best || out.bytes > best.saves)) best = { out, saves: out.bytes };
			// The smallest not taken that is no more than `over` smaller.
			let [low, high] = [0, disks.length];
			while (low < high) {
				const mid = (low + high) >> 1;
				if (disks[mid]!.bytes < out.bytes - over) low = mid + 1;
				else high = mid;
			}
			while (low < disks.length && taken.has(disks[low]!)) low++;
			const swap = disks[low];
			if (swap && swap.bytes < out.bytes && (!best || out.bytes - swap.bytes > best.saves))
				best = { out, in: swap, saves: out.bytes - swap.bytes };
		}
		if (!best || best.saves <= 0) break;
		taken.delete(best.out);
		if (best.in) taken.add(best.in);
	}
	return [...taken];
}
