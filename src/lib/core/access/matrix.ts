import { inRange } from '../network/addresses';
import { inHours } from '../time/hours';
import type { Explained, Fact } from '../why/explained';
import { conditionsWords, inDates, type Conditions } from './decide';

/** A team, with the one above it. */
export interface MatrixTeam {
	id: string;
	name: string;
	parent: string | null;
}

/** People who are alike as far as grants go: of a team, in a zone, with or without a managed endpoint, at an address. */
export interface MatrixPerson {
	login: string;
	team: string;
	zone: string;
	managed: boolean;
	address: string;
}

export interface MatrixGrant {
	id: number;
	publication: string;
	to: { kind: 'team' | 'person'; id: string; name: string };
	kind: 'required' | 'optional';
	conditions: Conditions;
}

/** Teams against publications. Rows are teams in the order of the tree, columns publications as they were given. */
export interface Matrix {
	teams: { id: string; name: string; depth: number; people: number }[];
	publications: string[];
	/** People of a team (teams below counted in) whom a grant reaches: `team * publications + publication`. */
	has: Int32Array;
	/** Of them, those whom the conditions let in at the moment; a second factor is taken as given. */
	now: Int32Array;
	/** Of them, those to whom it is required. */
	required: Int32Array;
	/** People in all, by publication. */
	totals: Int32Array;
}

/**
 * Who gets what at a moment, with nesting and conditions. People who are alike are counted together: a pass over the
 * groups for each publication, with the answer of each grant for a zone, an endpoint and an address range worked out once.
 */
export function whoGetsWhat(
	at: number,
	teams: readonly MatrixTeam[],
	people: readonly MatrixPerson[],
	publications: readonly string[],
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

	// People who are alike, by number; who is granted something by name stands alone.
	const named = new Set(grants.flatMap((g) => (g.to.kind === 'person' ? [g.to.id] : [])));
	const groups: { row: number; zone: number; managed: boolean; ranges: number[]; login: string | null; n: number }[] =
		[];
	const groupOf = new Map<string, number>();
	const zones: string[] = [];
	const zoneOf = new Map<string, number>();
	const inRanges = new Map<string, { list: number[]; key: string }>();
	const counts = new Int32Array(ordered.length);
	for (const p of people) {
		const row = rowOf.get(p.team);
		if (row === undefined) continue;
		counts[row]!++;
		let zone = zoneOf.get(p.zone);
		if (zone === undefined) zoneOf.set(p.zone, (zone = zones.push(p.zone) - 1));
		let within = inRanges.get(p.address);
		if (!within) {
			const list = ranges.flatMap((r, i) => (inRange(p.address, r) ? [i] : []));
			inRanges.set(p.address, (within = { list, key: list.join() }));
		}
		const login = named.has(p.login) ? p.login : null;
		const key = `${row} ${zone} ${p.managed ? 1 : 0} ${within.key} ${login ?? ''}`;
		const known = groupOf.get(key);
		if (known !== undefined) groups[known]!.n++;
		else groupOf.set(key, groups.push({ row, zone, managed: p.managed, ranges: within.list, login, n: 1 }) - 1);
	}
	const byRow: number[][] = ordered.map(() => []);
	groups.forEach((g, i) => byRow[g.row]!.push(i));

	const width = publications.length;
	const make = () => new Int32Array(ordered.length * width);
	const [has, now, required] = [make(), make(), make()];
	const totals = new Int32Array(width);
	const ofPublication = new Map(publications.map((p, i) => [p, { column: i, grants: [] as MatrixGrant[] }]));
	for (const g of grants) ofPublication.get(g.publication)?.grants.push(g);
	for (const { column, grants: own } of ofPublication.values()) {
		if (own.length === 0) continue;
		const asked = own.map((g) => asAsked(g, zones, ranges, at));
		const ownRows = new Map<number, number[]>();
		asked.forEach((_a, i) => {
			const g = own[i]!;
			const row = g.to.kind === 'team' ? rowOf.get(g.to.id) : undefined;
			if (row !== undefined) push(ownRows, row, i);
		});
		const byLogin = new Map<string, number[]>();
		own.forEach((g, i) => {
			if (g.to.kind === 'person') push(byLogin, g.to.id, i);
		});
		// Grants that reach a team: its own, and those of all above it.
		const reaching: (readonly number[])[] = [];
		for (let row = 0; row < ordered.length; row++) {
			const above = ordered[row]!.parent < 0 ? NONE : reaching[ordered[row]!.parent]!;
			const mine = ownRows.get(row);
			reaching.push(mine ? [...above, ...mine] : above);
			if (reaching[row]!.length === 0 && byLogin.size === 0) continue;
			for (const i of byRow[row]!) {
				const group = groups[i]!;
				const alone = group.login === null ? undefined : byLogin.get(group.login);
				if (reaching[row]!.length === 0 && !alone) continue;
				let holds = false;
				let open = false;
				let must = false;
				for (const list of [reaching[row]!, alone ?? NONE])
					for (const k of list) {
						const a = asked[k]!;
						const state = a.dates[group.zone];
						if (state === 'over') continue;
						holds = true;
						must ||= own[k]!.kind === 'required';
						open ||=
							state === 'in' &&
							a.hours[group.zone]! &&
							(!a.managed || group.managed) &&
							(a.ranges === null || group.ranges.some((r) => a.ranges!.has(r)));
					}
				if (!holds) continue;
				const at = row * width + column;
				has[at]! += group.n;
				if (open) now[at]! += group.n;
				if (must) required[at]! += group.n;
				totals[column]! += group.n;
			}
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
		publications: [...publications],
		has,
		now,
		required,
		totals
	};
}

const NONE: readonly number[] = [];

function push<K>(map: Map<K, number[]>, key: K, value: number): void {
	const list = map.get(key);
	if (list) list.push(value);
	else map.set(key, [value]);
}

/** What a grant says of a moment: by zone whether its dates and hours hold, and which address ranges it asks for. */
function asAsked(g: MatrixGrant, zones: readonly string[], ranges: readonly string[], at: number) {
	const { hours, managedEndpoint, networks } = g.conditions;
	return {
		dates: zones.map((z) => inDates(g.conditions, z, at)),
		hours: zones.map((z) => !hours || inHours(hours, z, at)),
		managed: managedEndpoint === true,
		ranges: networks?.length ? new Set(networks.map((n) => ranges.indexOf(n))) : null
	};
}

/** Why a team has a publication, or why it has not: each grant that reaches it or somebody in it. */
export function whyInMatrix(
	team: string,
	publication: string,
	teams: readonly MatrixTeam[],
	people: readonly Pick<MatrixPerson, 'login' | 'team'>[],
	grants: readonly MatrixGrant[]
): Explained<boolean> {
	const byId = new Map(teams.map((t) => [t.id, t]));
	const lineOf = (id: string): string[] => {
		const line: string[] = [];
		for (let t = byId.get(id); t; t = t.parent === null ? undefined : byId.get(t.parent)) line.push(t.id);
		return line;
	};
	const above = lineOf(team);
	const teamOf = new Map(people.map((p) => [p.login, p.team]));
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
			const own = teamOf.get(g.to.id);
			if (own !== undefined && lineOf(own).includes(team)) say(`${g.to.name} has it by name`);
		} else if (g.to.id === team) say('it is granted to the team itself');
		else if (above.includes(g.to.id)) say(`it is granted to ${g.to.name}, above it`);
		else if (byId.has(g.to.id) && lineOf(g.to.id).includes(team)) say(`it is granted to ${g.to.name}, below it`);
	}
	if (facts.length === 0)
		facts.push({ words: 'no grant reaches this team or anybody in it', side: 'against', source: 'grants' });
	return { value: facts.some((f) => f.side === 'for'), facts };
}
