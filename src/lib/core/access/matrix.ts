import type { DeviceProof } from '../endpoints/proof';
import { rangeFinder } from '../network/addresses';
import { inHours } from '../time/hours';
import { countWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';
import { conditionsWords, inDates, mayStart, namesOf, sees, type Conditions, type Door } from './decide';

/** A team, with the one above it. */
export interface MatrixTeam {
	id: string;
	name: string;
	parent: string | null;
}

/** Somebody as far as grants go: of some teams, in a zone, with what they sit at, at an address. */
export interface MatrixPerson {
	login: string;
	/** Teams that they are members of; those above them follow. */
	memberOf: readonly string[];
	zone: string;
	device: DeviceProof;
	address: string;
}

export interface MatrixGrant {
	id: number;
	publication: string;
	to: { kind: 'team' | 'person'; id: string; name: string };
	kind: 'required' | 'optional';
	conditions: Conditions;
}

/** A publication, and what it says of itself. */
export interface MatrixPublication {
	id: string;
	door: Door;
}

/** Teams against publications. Rows are teams in the order of the tree, columns publications as they were given. */
export interface Matrix {
	teams: { id: string; name: string; depth: number; people: number }[];
	publications: string[];
	/** People of a team (teams below counted in, each person once) who see it and whom a grant reaches: `team * publications + publication`. */
	has: Int32Array;
	/** Of them, those who could open it at the moment by its conditions and its door; a second factor is taken as given. */
	now: Int32Array;
	/** Of them, those to whom it is required. */
	required: Int32Array;
	/** People in all, each once, by publication. */
	totals: Int32Array;
}

/**
 * Who gets what at a moment, with nesting and conditions. People who are alike (zone, endpoint, address ranges) are counted
 * together: what a set of grants answers to each kind of person is worked out once, wherever in the tree that set reaches. People of
 * several teams, none of them above another, are counted by the set of their teams, and once in each team above any of them.
 */
export function whoGetsWhat(
	at: number,
	teams: readonly MatrixTeam[],
	people: readonly MatrixPerson[],
	publications: readonly MatrixPublication[],
	grants: readonly MatrixGrant[]
): Matrix {
	const ordered: { team: MatrixTeam; depth: number; parent: number }[] = [];
	const below = new Map<string | null, MatrixTeam[]>();
	for (const t of teams) {
		const list = below.get(t.parent);
		if (list) list.push(t);
		else below.set(t.parent, [t]);
	}
	const walk = (parent: string | null, row: number, depth: number) => {
		for (const team of below.get(parent) ?? []) {
			ordered.push({ team, depth, parent: row });
			walk(team.id, ordered.length - 1, depth + 1);
		}
	};
	walk(null, -1, 0);
	const rowOf = new Map(ordered.map((o, i) => [o.team.id, i]));
	const ranges = [...new Set(grants.flatMap((g) => g.conditions.networks ?? []))];

	// People of a zone, whose devices prove as much, within the same ranges are alike for every grant.
	const alike: Alike[] = [];
	const alikeOf = new Map<string, number>();
	const rangesOf = rangeFinder(ranges);
	const rangesAt = new Map<string, number[]>();
	const zones: string[] = [];
	const named = new Set(grants.flatMap((g) => (g.to.kind === 'person' ? [g.to.id] : [])));
	const alone = new Map<string, Spread>();
	/** People of several teams, by their teams and kind. */
	const several = new Map<string, Spread & { n: number }>();
	const counts = new Int32Array(ordered.length);
	const rows: number[] = [];
	const kinds: number[] = [];
	for (const p of people) {
		const own = lowest(
			p.memberOf.flatMap((t) => rowOf.get(t) ?? []),
			ordered
		);
		if (own.length === 0) continue;
		let within = rangesAt.get(p.address);
		if (!within) rangesAt.set(p.address, (within = rangesOf(p.address)));
		const key = `${p.zone} ${p.device.certificate} ${within.join()}`;
		let kind = alikeOf.get(key);
		if (kind === undefined) {
			let zone = zones.indexOf(p.zone);
			if (zone < 0) zone = zones.push(p.zone) - 1;
			alikeOf.set(key, (kind = alike.push({ zone, proof: p.device.certificate, ranges: within }) - 1));
		}
		// Who is granted something by name is looked at alone.
		if (named.has(p.login)) alone.set(p.login, { rows: own, shared: sharedBy(own, ordered), kind });
		if (own.length > 1) {
			const set = `${own.join()} ${kind}`;
			const group = several.get(set);
			if (group) group.n++;
			else several.set(set, { rows: own, shared: sharedBy(own, ordered), kind, n: 1 });
			continue;
		}
		counts[own[0]!]!++;
		rows.push(own[0]!);
		kinds.push(kind);
	}
	// How many of each kind a team has: only those that it has, one after the other.
	const width = publications.length;
	const start = new Int32Array(ordered.length + 1);
	const dense = new Int32Array(ordered.length * alike.length);
	rows.forEach((row, i) => dense[row * alike.length + kinds[i]!]!++);
	const kindAt: number[] = [];
	const countAt: number[] = [];
	for (let row = 0; row < ordered.length; row++) {
		for (let k = 0; k < alike.length; k++) {
			const n = dense[row * alike.length + k]!;
			if (n === 0) continue;
			kindAt.push(k);
			countAt.push(n);
		}
		start[row + 1] = kindAt.length;
	}

	const make = () => new Int32Array(ordered.length * width);
	const [has, now, required] = [make(), make(), make()];
	const groups = [...several.values()];
	for (const g of groups) {
		for (const row of g.rows) counts[row]! += g.n;
		for (const row of g.shared) counts[row]! -= g.n;
	}
	const totals = new Int32Array(width);
	const ofPublication = new Map(
		publications.map((p, i) => [p.id, { column: i, door: p.door, grants: [] as MatrixGrant[] }])
	);
	for (const g of grants) ofPublication.get(g.publication)?.grants.push(g);
	// By row, what the door leaves of an answer.
	const above: string[][] = [];
	for (const { team, parent } of ordered) above.push(parent < 0 ? [team.id] : [...above[parent]!, team.id]);
	const leaves = (door: Door) =>
		!door.off && !door.visible?.length && !door.starters?.length
			? null
			: Uint8Array.from(
					above,
					(line) => (sees(door, line) ? SEES : 0) | (!door.off && mayStart(door, line) ? STARTS : 0)
				);
	for (const { column, door, grants: own } of ofPublication.values()) {
		if (own.length === 0) continue;
		const mask = leaves(door);
		const asked = own.map((g) => asAsked(g, zones, ranges, at));
		const ownRows = new Map<number, Asked[]>();
		const byLogin = new Map<string, Asked[]>();
		own.forEach((g, i) => {
			const row = g.to.kind === 'team' ? rowOf.get(g.to.id) : undefined;
			if (row !== undefined) push(ownRows, row, asked[i]!);
			if (g.to.kind === 'person') push(byLogin, g.to.id, asked[i]!);
		});
		const add = (row: number, answered: number, n: number) => {
			const answer = mask ? answered & LEFT[mask[row]!]! : answered;
			if ((answer & HOLDS) === 0) return;
			const cell = row * width + column;
			has[cell]! += n;
			if (answer & OPEN) now[cell]! += n;
			if (answer & MUST) required[cell]! += n;
			totals[column]! += n;
		};
		/** People of several teams who got `before` and get `after`: in each of their rows, and once less where those meet. */
		const addSpread = ({ rows: of, shared }: Spread, before: number, after: number, n: number) => {
			const gained = after & ~before;
			if ((after & HOLDS) === 0 || gained === 0) return;
			if (gained & HOLDS) totals[column]! += n;
			for (const row of of) count(row * width + column, gained, n);
			for (const row of shared) count(row * width + column, gained, -n);
		};
		const count = (cell: number, gained: number, n: number) => {
			if (gained & HOLDS) has[cell]! += n;
			if (gained & OPEN) now[cell]! += n;
			if (gained & MUST) required[cell]! += n;
		};
		/** What the door leaves people of several teams of any answer: what it asks for may come from one team, and from another. */
		const leftOf = (rows: readonly number[]): number => {
			let passes = 0;
			for (const row of rows) passes |= mask![row]!;
			return LEFT[passes]!;
		};
		/** What grants to their teams answer to people of several teams, as far as the door lets them. */
		const spreadAnswer = ({ rows: of, kind }: Spread): number => {
			let answer = 0;
			for (const row of of) {
				const reach = reaching[row];
				if (reach) answer |= reach.answers[kind]!;
			}
			if (answer && mask) answer &= leftOf(of);
			return answer & HOLDS ? answer : 0;
		};
		// Grants that reach a team, its own and those of all above it, with what they answer to each kind of person.
		const reaching: (Reach | null)[] = [];
		for (let row = 0; row < ordered.length; row++) {
			const over = ordered[row]!.parent < 0 ? null : reaching[ordered[row]!.parent]!;
			const mine = ownRows.get(row);
			const reach = mine ? reachOf([...(over?.asked ?? []), ...mine], alike) : over;
			reaching.push(reach);
			if (!reach) continue;
			for (let i = start[row]!; i < start[row + 1]!; i++) add(row, reach.answers[kindAt[i]!]!, countAt[i]!);
		}
		for (const group of groups) addSpread(group, 0, spreadAnswer(group), group.n);
		for (const [login, list] of byLogin) {
			const person = alone.get(login);
			if (!person) continue;
			// Counted with their teams already: what the grant by name adds.
			if (person.rows.length > 1) {
				const answer = spreadAnswer(person);
				const left = mask ? leftOf(person.rows) : HOLDS | OPEN | MUST;
				addSpread(person, answer, (answer | answerTo(list, alike[person.kind]!)) & left, 1);
				continue;
			}
			const [row] = person.rows as [number];
			const left = mask ? LEFT[mask[row]!]! : HOLDS | OPEN | MUST;
			const before = (reaching[row]?.answers[person.kind] ?? 0) & left;
			const cell = row * width + column;
			const after = (before | answerTo(list, alike[person.kind]!)) & left;
			if (before & HOLDS) {
				if (after & OPEN && !(before & OPEN)) now[cell]!++;
				if (after & MUST && !(before & MUST)) required[cell]!++;
			} else add(row, after, 1);
		}
	}
	// Teams below count in: from the last row to the first, each adds itself to the one above.
	for (let row = ordered.length - 1; row >= 0; row--) {
		const up = ordered[row]!.parent;
		if (up < 0) continue;
		counts[up]! += counts[row]!;
		for (let c = 0; c < width; c++) {
			has[up * width + c]! += has[row * width + c]!;
			now[up * width + c]! += now[row * width + c]!;
			required[up * width + c]! += required[row * width + c]!;
		}
	}
	return {
		teams: ordered.map((o, i) => ({ id: o.team.id, name: o.team.name, depth: o.depth, people: counts[i]! })),
		publications: publications.map((p) => p.id),
		has,
		now,
		required,
		totals
	};
}

/** Somebody by the rows of their teams, none of them above another, and by what kind of person they are. */
interface Spread {
	rows: readonly number[];
	/**
	 * Where they meet: the lowest row above both, of each two that follow one another. Whoever counts once more in each of their rows and once
	 * less in each of these counts once in every row above any of them, when rows are added to those above.
	 */
	shared: readonly number[];
	kind: number;
}

type Rows = readonly { parent: number }[];

/** The lowest row above both, of each two of some rows that follow one another in the order of the tree; none where there is none. */
function sharedBy(rows: readonly number[], tree: Rows): number[] {
	return rows.slice(1).flatMap((to, i) => {
		const over = new Set(lineOver(rows[i]!, tree));
		return lineOver(to, tree).find((row) => over.has(row)) ?? [];
	});
}

/** A row and all above it, from itself up. */
function lineOver(own: number, tree: Rows): number[] {
	const line: number[] = [];
	for (let row = own; row >= 0; row = tree[row]!.parent) line.push(row);
	return line;
}

/** Those of some rows that are above none of the others, each once, from the first to the last. */
function lowest(rows: readonly number[], tree: Rows): readonly number[] {
	if (rows.length < 2) return rows;
	const over = new Set(
		rows.flatMap((row) => {
			const { parent } = tree[row]!;
			return parent < 0 ? [] : lineOver(parent, tree);
		})
	);
	return [...new Set(rows)].filter((row) => !over.has(row)).sort((a, b) => a - b);
}

/** What grants answer to somebody: they hold it, could open it now, have to have it. */
const HOLDS = 1;
const OPEN = 2;
const MUST = 4;

/** What a door says of a team with all above it: they see the publication, they may start it. */
const SEES = 1;
const STARTS = 2;
/** What it leaves of an answer, by what it says: who does not see it has nothing, who may not start it cannot open it. */
const LEFT = [0, HOLDS | MUST, 0, HOLDS | OPEN | MUST] as const;

interface Alike {
	zone: number;
	proof: DeviceProof['certificate'];
	ranges: number[];
}

interface Reach {
	asked: Asked[];
	/** By kind of person. */
	answers: Uint8Array;
}

const reachOf = (asked: Asked[], alike: readonly Alike[]): Reach => ({
	asked,
	answers: Uint8Array.from(alike, (a) => answerTo(asked, a))
});

function answerTo(asked: readonly Asked[], p: Alike): number {
	let answer = 0;
	for (const a of asked) {
		const state = a.dates[p.zone];
		if (state === 'over') continue;
		answer |= HOLDS;
		if (a.must) answer |= MUST;
		if (
			state === 'in' &&
			a.hours[p.zone]! &&
			p.proof !== 'revoked' &&
			(!a.managed || p.proof === 'good') &&
			(a.ranges === null || p.ranges.some((r) => a.ranges!.has(r)))
		)
			answer |= OPEN;
	}
	return answer;
}

function push<K, V>(map: Map<K, V[]>, key: K, value: V): void {
	const list = map.get(key);
	if (list) list.push(value);
	else map.set(key, [value]);
}

type Asked = ReturnType<typeof asAsked>;

/** What a grant says of a moment: by zone whether its dates and hours hold, and which address ranges it asks for. */
function asAsked(g: MatrixGrant, zones: readonly string[], ranges: readonly string[], at: number) {
	const { hours, managedEndpoint, networks } = g.conditions;
	return {
		dates: zones.map((z) => inDates(g.conditions, z, at)),
		hours: zones.map((z) => !hours || inHours(hours, z, at)),
		must: g.kind === 'required',
		managed: managedEndpoint === true,
		ranges: networks?.length ? new Set(networks.map((n) => ranges.indexOf(n))) : null
	};
}

/** Why a team has a publication, or why it has not: each grant that reaches it or somebody in it, and what its door keeps out. */
export function whyInMatrix(
	team: string,
	{ id: publication, door }: MatrixPublication,
	teams: readonly MatrixTeam[],
	people: readonly Pick<MatrixPerson, 'login' | 'memberOf'>[],
	grants: readonly MatrixGrant[]
): Explained<boolean> {
	const byId = new Map(teams.map((t) => [t.id, t]));
	const lineOf = (id: string): string[] => {
		const line: string[] = [];
		for (let t = byId.get(id); t; t = t.parent === null ? undefined : byId.get(t.parent)) line.push(t.id);
		return line;
	};
	const above = lineOf(team);
	/** People of the team who are of others, too: all teams that they count in. */
	const members = people
		.map((p) => ({ login: p.login, several: p.memberOf.length > 1, lines: [...new Set(p.memberOf.flatMap(lineOf))] }))
		.filter((p) => p.lines.includes(team));
	const logins = new Set(members.map((m) => m.login));
	const facts: Fact[] = [];
	for (const g of grants.filter((x) => x.publication === publication)) {
		const say = (words: string) =>
			facts.push({
				words: `${words}, ${g.kind}: ${conditionsWords(g.conditions)}`,
				side: 'for',
				about: { kind: 'grant', id: String(g.id), name: `grant to ${g.to.name}` },
				source: 'grants'
			});
		if (g.to.kind === 'person') {
			if (logins.has(g.to.id)) say(`${g.to.name} has it by name`);
		} else if (g.to.id === team) say('it is granted to the team itself');
		else if (above.includes(g.to.id)) say(`it is granted to ${g.to.name}, above it`);
		else if (byId.has(g.to.id) && lineOf(g.to.id).includes(team)) say(`it is granted to ${g.to.name}, below it`);
		else {
			const also = members.filter((m) => m.lines.includes(g.to.id)).length;
			if (also)
				say(`${countWords(also, 'person of it is', 'people of it are')} of ${g.to.name}, too, which it is granted to`);
		}
	}
	if (facts.length === 0)
		return {
			value: false,
			facts: [{ words: 'no grant reaches this team or anybody in it', side: 'against', source: 'grants' }]
		};
	// Somebody in a team below, or in another team besides, may be of a team that the door lets in.
	const inside = [
		...teams.filter((t) => lineOf(t.id).includes(team)).map((t) => lineOf(t.id)),
		...members.filter((m) => m.several).map((m) => m.lines)
	];
	const judge = (all: boolean, words: string, source: string) =>
		facts.push({ words, side: all ? 'for' : 'against', source });
	if (door.visible?.length)
		judge(
			inside.every((line) => sees(door, line)),
			`it is shown to ${namesOf(door.visible)} alone`,
			'publication'
		);
	if (door.off) judge(false, 'it is switched off: nobody can open it now', 'publication');
	if (door.starters?.length)
		judge(
			inside.every((line) => mayStart(door, line)),
			`its package may be started by ${namesOf(door.starters)} alone`,
			'package'
		);
	return { value: inside.some((line) => sees(door, line)), facts };
}
