import { countWords, sizeWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';

/** A machine to be placed. Cores as they are promised, memory in bytes. */
export interface PackMachine {
	name: string;
	cores: number;
	memory: number;
	gpus: number;
	/** Machines with the same name here go on one host. */
	together?: string;
	/** Machines with the same name here go on hosts of their own. */
	apart?: string;
}

export interface PackHost {
	name: string;
	/** What is free: promised cores, bytes, GPUs. */
	cores: number;
	memory: number;
	gpus: number;
	/** What machines that are on it already take: it has to find room elsewhere, too, when the host fails. */
	promised?: { cores: number; memory: number; gpus: number } | undefined;
}

export interface Packing {
	/** Host by machine. */
	spots: Map<string, string>;
	/** Machines without a spot, each with the reason. */
	left: { machine: string; why: string }[];
	hosts: number;
	/** No placement uses fewer hosts. */
	bound: number;
	/** A host whose machines would find no spot if it failed; null when there is none, or when nobody asked. */
	stuck: string | null;
}

export interface PackWish {
	/** Fill few hosts, or spread over all. */
	over: 'few' | 'all';
	/** Keep room so that the machines of any one host find a spot on the others. */
	spareHost: boolean;
}

/**
 * Lays machines on hosts by several resources at once. Machines that belong together are one; the largest go first, by
 * their share of the hosts' scarcest resource. To use few hosts, each goes where what is left after it is most in line with
 * what it takes (dot product of demand and room, after Panigrahy, Talwar, Uyeda and Wieder 2011); to spread, where the
 * most is left. Then hosts that are little used are emptied onto the others, as far as that goes.
 *
 * The bound is the largest, over the resources, of how many of the roomiest hosts have as much of it as is asked for: what
 * the linear relaxation gives where one resource is scarce.
 */
export function packMachines(
	machines: readonly PackMachine[],
	hosts: readonly PackHost[],
	wish: PackWish
): Explained<Packing> {
	const groups = groupsOf(machines);
	const total = { cores: 0, memory: 0, gpus: 0 };
	for (const h of hosts) for (const r of RESOURCES) total[r] += h[r];
	const asked = { cores: 0, memory: 0, gpus: 0 };
	// Written out: it is done for every machine.
	for (const m of machines) {
		asked.cores += m.cores;
		asked.memory += m.memory;
		asked.gpus += m.gpus;
	}
	const weight = (r: Resource) => (total[r] > 0 ? 1 / total[r] : 0);
	const size = (g: Group) => Math.max(...RESOURCES.map((r) => g[r] * weight(r) * (asked[r] * weight(r) || 1)));
	const room = hosts.map((h): Room => ({
		name: h.name,
		cores: h.cores,
		memory: h.memory,
		gpus: h.gpus,
		promised: h.promised,
		own: h,
		groups: [],
		apart: new Set()
	}));
	const left: Packing['left'] = [];
	const [tied, free]: [Group[], Group[]] = [[], []];
	for (const g of groups) (g.machines.length > 1 || g.apart.length > 0 ? tied : free).push(g);
	const oneByOne = wish.over === 'few' ? tied : groups;
	const sizes = new Map(oneByOne.map((g) => [g, size(g)]));
	oneByOne.sort((a, b) => sizes.get(b)! - sizes.get(a)! || (a.machines[0]!.name < b.machines[0]!.name ? -1 : 1));
	for (const g of oneByOne) {
		const to = bestRoom(g, room, wish, weight);
		if (to) put(g, to);
		else for (const m of g.machines) left.push({ machine: m.name, why: whyNot(g, room) });
	}
	if (wish.over === 'few')
		for (const g of fillHosts(free, room, (r) => asked[r] * weight(r)))
			for (const m of g.machines) left.push({ machine: m.name, why: whyNot(g, room) });
	if (wish.over === 'few' && tied.length) emptyHosts(room, wish, weight);
	const at = new Map(left.length ? machines.map((m, i) => [m.name, i]) : []);
	left.sort((a, b) => at.get(a.machine)! - at.get(b.machine)!);
	const used = room.filter((r) => r.groups.length);
	const spots = new Map<string, string>();
	for (const r of used) for (const g of r.groups) for (const m of g.machines) spots.set(m.name, r.name);
	const facts: Fact[] = [];
	const bound = boundOf(asked, hosts);
	facts.push({
		words: `${countWords(machines.length - left.length, 'machine')} on ${countWords(used.length, 'host')}; with fewer than ${bound} it cannot be done`,
		source: 'placement'
	});
	const stuck = wish.spareHost && left.length === 0 ? (used.find((r) => !survives(r, room)) ?? null) : null;
	if (wish.spareHost && left.length === 0) {
		if (stuck)
			facts.push({
				words: `if ${stuck.name} fails, its ${countWords(machinesOn(stuck), 'machine')} do not all fit on the others`,
				side: 'against',
				source: 'placement'
			});
		else
			facts.push({
				words: 'any one host may fail: its machines fit on the others',
				side: 'for',
				source: 'placement'
			});
	}
	return {
		value: {
			spots,
			left,
			hosts: used.length,
			bound,
			stuck: stuck?.name ?? null
		},
		facts
	};
}

const RESOURCES = ['cores', 'memory', 'gpus'] as const;
type Resource = (typeof RESOURCES)[number];

interface Group extends Record<Resource, number> {
	machines: PackMachine[];
	apart: string[];
}
interface Room extends PackHost {
	own: PackHost;
	groups: Group[];
	apart: Set<string>;
}

const NONE: string[] = [];

function groupsOf(machines: readonly PackMachine[]): Group[] {
	const groups: Group[] = [];
	const tied = new Map<string, Group>();
	for (const m of machines) {
		const known = m.together === undefined ? undefined : tied.get(m.together);
		if (known) {
			known.machines.push(m);
			if (m.apart !== undefined) known.apart = [...known.apart, m.apart];
			known.cores += m.cores;
			known.memory += m.memory;
			known.gpus += m.gpus;
			continue;
		}
		const g: Group = {
			machines: [m],
			apart: m.apart === undefined ? NONE : [m.apart],
			cores: m.cores,
			memory: m.memory,
			gpus: m.gpus
		};
		groups.push(g);
		if (m.together !== undefined) tied.set(m.together, g);
	}
	return groups;
}

const fits = (g: Group, r: Room) =>
	RESOURCES.every((x) => g[x] <= r[x]) &&
	!g.apart.some((a) => r.apart.has(a)) &&
	new Set(g.apart).size === g.apart.length;

function bestRoom(g: Group, rooms: readonly Room[], wish: PackWish, weight: (r: Resource) => number): Room | null {
	let best: Room | null = null;
	let bestScore = -Infinity;
	for (const r of rooms) {
		if (!fits(g, r)) continue;
		let score: number;
		if (wish.over === 'all')
			score = Math.min(...RESOURCES.filter((x) => r.own[x] > 0).map((x) => (r[x] - g[x]) / r.own[x]));
		else {
			// Hosts in use before empty ones; among them the one whose room is most like what is asked, and least.
			let dot = 0;
			let rest = 0;
			for (const x of RESOURCES) {
				dot += g[x] * weight(x) * r[x] * weight(x);
				rest += ((r[x] - g[x]) * weight(x)) ** 2;
			}
			score = (r.groups.length ? 1e6 : 0) + dot * 1e-3 - rest;
		}
		if (score > bestScore) [best, bestScore] = [r, score];
	}
	return best;
}

function put(g: Group, r: Room): void {
	r.groups.push(g);
	r.cores -= g.cores;
	r.memory -= g.memory;
	r.gpus -= g.gpus;
	if (g.apart.length) for (const a of g.apart) r.apart.add(a);
}

function take(g: Group, r: Room): void {
	r.groups = r.groups.filter((x) => x !== g);
	for (const x of RESOURCES) r[x] += g[x];
	r.apart = new Set(r.groups.flatMap((x) => x.apart));
}

/** Tries to empty the least used hosts onto the others, whole or not at all. */
function emptyHosts(rooms: Room[], wish: PackWish, weight: (r: Resource) => number): void {
	for (const r of [...rooms].filter((x) => x.groups.length).sort((a, b) => a.groups.length - b.groups.length)) {
		const moved: [Group, Room][] = [];
		let whole = true;
		for (const g of r.groups) {
			const to = bestRoom(
				g,
				rooms.filter((x) => x !== r && x.groups.length),
				wish,
				weight
			);
			if (!to) {
				whole = false;
				break;
			}
			put(g, to);
			moved.push([g, to]);
		}
		if (whole) for (const [g] of moved) take(g, r);
		else for (const [g, to] of moved) take(g, to);
	}
}

/**
 * Fills one host after the other, the roomiest first. Machines that are alike count as one kind. Of the kinds that still fit,
 * the largest goes first that leaves the host its proportions; the last part of a host is filled by the best combination of a few, found by trying them all. As every host ends nearly full of
 * all resources, what remains keeps the proportions that hosts have. Machines that ask for what only some hosts have go there
 * before anything else does. Returns what finds no spot.
 */
function fillHosts(groups: readonly Group[], rooms: readonly Room[], scarcity: (r: Resource) => number): Group[] {
	const byMemory = new Map<number, Group[][]>();
	const kinds: Group[][] = [];
	for (const g of groups) {
		let same = byMemory.get(g.memory);
		if (!same) byMemory.set(g.memory, (same = []));
		let kind = same.find((k) => k[0]!.cores === g.cores && k[0]!.gpus === g.gpus);
		if (!kind) {
			same.push((kind = []));
			kinds.push(kind);
		}
		kind.push(g);
	}
	const open = kinds.sort(
		(a, b) => b[0]!.gpus - a[0]!.gpus || b[0]!.memory - a[0]!.memory || b[0]!.cores - a[0]!.cores
	);
	const n = open.length;
	const left = Int32Array.from(open, (k) => k.length);
	const [cores, memory, gpus] = RESOURCES.map((r) => Float64Array.from(open, (k) => k[0]![r])) as [
		Float64Array,
		Float64Array,
		Float64Array
	];
	const [wc, wm] = [scarcity('cores') || 1e-9, scarcity('memory') || 1e-9];
	const largest = Math.max(...rooms.map((r) => r.own.cores));
	const most = Math.max(...rooms.map((r) => r.own.memory));
	const order = [...rooms].sort(
		(a, b) => (b.cores / largest) * wc + (b.memory / most) * wm - (a.cores / largest) * wc - (a.memory / most) * wm
	);

	// Hosts that are alike are filled alike, as long as there are machines enough for it.
	const patterns = new Map<string, number[]>();
	const fill = (r: Room, special: number) => {
		const key = `${r.cores} ${r.memory} ${r.gpus} ${special}`;
		const known = patterns.get(key);
		if (known && enough(known)) {
			for (const k of known) {
				left[k]!--;
				put(open[k]!.pop()!, r);
			}
			return;
		}
		const picks = fillAnew(r, special);
		patterns.set(key, picks);
		for (const k of picks) put(open[k]!.pop()!, r);
	};
	const needed = new Int32Array(n);
	const enough = (picks: readonly number[]) => {
		needed.fill(0);
		for (const k of picks) needed[k]!++;
		return needed.every((count, k) => count <= left[k]!);
	};
	const fillAnew = (r: Room, special: number): number[] => {
		let [c, m, g] = [r.cores, r.memory, r.gpus];
		const picks: number[] = [];
		const pick = (k: number) => {
			picks.push(k);
			left[k]!--;
			c -= cores[k]!;
			m -= memory[k]!;
			g -= gpus[k]!;
		};
		const [oc, om] = [Math.max(1, r.own.cores), Math.max(1, r.own.memory)];
		// So many of the machines that only such hosts take come first.
		for (let k = 0; k < n && special > 0; k++)
			while (special > 0 && gpus[k]! > 0 && left[k]! > 0 && cores[k]! <= c && memory[k]! <= m && gpus[k]! <= g) {
				pick(k);
				special--;
			}
		while (c > oc * LAST && m > om * LAST) {
			let next = -1;
			let score = -Infinity;
			for (let k = 0; k < n; k++) {
				if (left[k] === 0 || cores[k]! > c || memory[k]! > m || gpus[k]! > g) continue;
				const s =
					Math.max(cores[k]! / oc, memory[k]! / om) - EVEN * Math.abs((c - cores[k]!) / oc - (m - memory[k]!) / om);
				if (s > score) [next, score] = [k, s];
			}
			if (next < 0) break;
			pick(next);
		}
		// What fills the rest best, up to a few machines, tried in order so that no combination comes twice.
		const best = { sum: 0, picks: [] as number[] };
		const tried: number[] = [];
		const search = (from: number, cc: number, mm: number, gg: number, sum: number) => {
			if (sum > best.sum) {
				best.sum = sum;
				best.picks.length = 0;
				for (const k of tried) best.picks.push(k);
			}
			if (tried.length === DEEP) return;
			for (let k = from; k < n; k++) {
				if (left[k] === 0 || cores[k]! > cc || memory[k]! > mm || gpus[k]! > gg) continue;
				left[k]!--;
				tried.push(k);
				search(k, cc - cores[k]!, mm - memory[k]!, gg - gpus[k]!, sum + wc * (cores[k]! / oc) + wm * (memory[k]! / om));
				tried.pop();
				left[k]!++;
			}
		};
		for (;;) {
			best.sum = 0;
			best.picks.length = 0;
			search(0, c, m, g, 0);
			if (best.picks.length === 0) break;
			for (const k of best.picks) pick(k);
		}
		return picks;
	};
	const over = () => left.some((k) => k > 0);
	const specials = () => left.reduce((sum, count, k) => sum + (gpus[k]! > 0 ? count : 0), 0);
	// Machines that need a GPU are dealt out over the hosts that have any and are needed in any case, beside others: a host full
	// of them alone is seldom full of everything.
	const equipped = order.filter((r) => r.own.gpus > 0);
	equipped.forEach((r, i) => {
		const still = specials();
		if (still > 0) fill(r, Math.ceil(still / (equipped.length - i)));
	});
	for (const r of order) if (over() && r.own.gpus === 0) fill(r, 0);
	for (const r of order) if (over()) fill(r, specials());
	return open.flat();
}

/** The share of a host that is filled by trying combinations, and how many machines of one are tried. */
const LAST = 0.3;
const DEEP = 4;
/** How much it counts that what is left of a host keeps the proportions of the host. */
const EVEN = 2;

const machinesOn = (r: Room) => r.groups.reduce((n, g) => n + g.machines.length, 0);

/** Whether the machines of a host find a spot on the others. */
function survives(r: Room, rooms: readonly Room[]): boolean {
	const others = rooms
		.filter((x) => x !== r)
		.map((x): Room => ({ ...x, groups: [...x.groups], apart: new Set(x.apart) }));
	for (const g of [...r.groups].sort((a, b) => b.memory - a.memory)) {
		const to = others.find((x) => fits(g, x));
		if (!to) return false;
		put(g, to);
	}
	// How large the machines are that were there before is not known here: their sum has to find room in the sum of what is left.
	return RESOURCES.every((x) => others.reduce((n, o) => n + o[x], 0) >= (r.promised?.[x] ?? 0));
}

function whyNot(g: Group, rooms: readonly Room[]): string {
	const words: Record<Resource, (n: number) => string> = {
		cores: (n) => countWords(n, 'core'),
		memory: (n) => `${sizeWords(n)} of memory`,
		gpus: (n) => countWords(n, 'GPU')
	};
	for (const r of RESOURCES) {
		const most = Math.max(0, ...rooms.map((x) => x[r]));
		if (g[r] > most) return `no host has ${words[r](g[r])} free; the most is ${words[r](most)}`;
	}
	if (g.apart.length && rooms.every((r) => g.apart.some((a) => r.apart.has(a))))
		return 'every host has a machine that it is to be kept apart from';
	return 'no host has cores, memory and GPUs for it together';
}

/** How many hosts are needed at least: the roomiest ones, until each resource is enough. */
function boundOf(asked: Record<Resource, number>, hosts: readonly PackHost[]): number {
	let bound = 0;
	for (const r of RESOURCES) {
		let n = 0;
		let sum = 0;
		for (const room of hosts.map((h) => h[r]).sort((a, b) => b - a)) {
			if (sum >= asked[r]) break;
			sum += room;
			n++;
		}
		bound = Math.max(bound, n);
	}
	return bound;
}
