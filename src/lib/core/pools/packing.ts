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
}

export interface Packing {
	/** Host by machine. */
	places: Map<string, string>;
	/** Machines without a place, each with the reason. */
	left: { machine: string; why: string }[];
	hosts: number;
	/** No placement uses fewer hosts. */
	bound: number;
}

export interface PackWish {
	/** Fill few hosts, or spread over all. */
	over: 'few' | 'all';
	/** Keep room so that the machines of any one host find a place on the others. */
	spareHost: boolean;
}

/**
 * Places machines on hosts by several resources at once. Machines that belong together are one; the largest go first, by
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
	for (const m of machines) for (const r of RESOURCES) asked[r] += m[r];
	const weight = (r: Resource) => (total[r] > 0 ? 1 / total[r] : 0);
	const size = (g: Group) => Math.max(...RESOURCES.map((r) => g[r] * weight(r) * (asked[r] * weight(r) || 1)));
	groups.sort((a, b) => size(b) - size(a) || (a.machines[0]!.name < b.machines[0]!.name ? -1 : 1));

	const room = hosts.map((h): Room => ({ ...h, own: h, groups: [], apart: new Set() }));
	const reserve = wish.spareHost ? 1 : 0;
	const left: Packing['left'] = [];
	for (const g of groups) {
		const to = bestRoom(g, room, wish, weight);
		if (to) put(g, to);
		else for (const m of g.machines) left.push({ machine: m.name, why: whyNot(g, room) });
	}
	if (wish.over === 'few') emptyHosts(room, wish, weight);
	const used = room.filter((r) => r.groups.length);
	const facts: Fact[] = [];
	const bound = boundOf(asked, hosts);
	facts.push({
		words: `${countWords(machines.length - left.length, 'machine')} on ${countWords(used.length, 'host')}; with fewer than ${bound} it cannot be done`,
		source: 'placement'
	});
	if (reserve && left.length === 0) {
		const stuck = used.find((r) => !survives(r, room));
		if (stuck)
			facts.push({
				words: `if ${stuck.name} fails, its ${countWords(machinesOn(stuck), 'machine')} do not all find a place on the others`,
				side: 'against',
				source: 'placement'
			});
		else
			facts.push({
				words: 'any one host may fail: its machines find a place on the others',
				side: 'for',
				source: 'placement'
			});
	}
	return {
		value: {
			places: new Map(room.flatMap((r) => r.groups.flatMap((g) => g.machines.map((m) => [m.name, r.name] as const)))),
			left,
			hosts: used.length,
			bound
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

function groupsOf(machines: readonly PackMachine[]): Group[] {
	const groups = new Map<string, Group>();
	machines.forEach((m, i) => {
		const key = m.together === undefined ? `#${i}` : `=${m.together}`;
		let g = groups.get(key);
		if (!g) groups.set(key, (g = { machines: [], apart: [], cores: 0, memory: 0, gpus: 0 }));
		g.machines.push(m);
		if (m.apart !== undefined) g.apart.push(m.apart);
		for (const r of RESOURCES) g[r] += m[r];
	});
	return [...groups.values()];
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
		let score = 0;
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
	for (const x of RESOURCES) r[x] -= g[x];
	for (const a of g.apart) r.apart.add(a);
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

const machinesOn = (r: Room) => r.groups.reduce((n, g) => n + g.machines.length, 0);

/** Whether the machines of a host find a place on the others. */
function survives(r: Room, rooms: readonly Room[]): boolean {
	const others = rooms
		.filter((x) => x !== r)
		.map((x): Room => ({ ...x, groups: [...x.groups], apart: new Set(x.apart) }));
	return [...r.groups]
		.sort((a, b) => b.memory - a.memory)
		.every((g) => {
			const to = others.find((x) => fits(g, x));
			if (to) put(g, to);
			return to !== undefined;
		});
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
