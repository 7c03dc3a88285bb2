/** What settings groups are assigned to, and what of it something falls under. */

export const REACH_KINDS = [
	'everything',
	'endpoints',
	'machines',
	'site',
	'line',
	'version',
	'team',
	'branch',
	'pool',
	'endpoint',
	'machine',
	'person'
] as const;
export type ReachKind = (typeof REACH_KINDS)[number];

/** Something that groups are assigned to; `id` is empty for the three that need none. */
export interface Reach {
	kind: ReachKind;
	id: string;
}

/** Reaches that are there once. */
export const WIDE: ReadonlySet<ReachKind> = new Set(['everything', 'endpoints', 'machines']);

/** Of two at the same rank the nearer counts: what one is said for alone before a branch or a pool, those before a team, and so on. */
const NEARNESS: Readonly<Record<ReachKind, number>> = {
	everything: 0,
	endpoints: 1,
	machines: 1,
	site: 2,
	line: 3,
	version: 4,
	team: 5,
	branch: 6,
	pool: 6,
	endpoint: 7,
	machine: 7,
	person: 7
};

export const nearness = (kind: ReachKind): number => NEARNESS[kind];

export const keyOf = (r: Reach): string => `${r.kind}/${r.id}`;

/** One reach that something falls under. */
export interface Under {
	key: string;
	reach: Reach;
	/** Of a tree: this one and all above it, up to the root. Empty where it is of none. */
	above: readonly string[];
}

/** An endpoint: where it stands, and who was on it last. Branch and teams lead from the nearest up to the root. */
export interface EndpointFacts {
	id: string;
	site: string | null;
	branch: readonly string[];
	person: PersonFacts | null;
}

export interface MachineFacts {
	name: string;
	site: string;
	pool: string;
	line: string;
	/** The version of its line that it is on. */
	version: string;
}

/** Somebody: each way up from a team of theirs to the root, and the site where they sit. */
export interface PersonFacts {
	login: string;
	site: string | null;
	teams: readonly (readonly string[])[];
}

const NONE: readonly string[] = [];
const alone = (kind: ReachKind, id = ''): Under => ({ key: `${kind}/${id}`, reach: { kind, id }, above: NONE });
const EVERYTHING = alone('everything');
const ENDPOINTS = alone('endpoints');
const MACHINES = alone('machines');

/** Everything along a way up a tree, each with what is above it. */
const along = (kind: ReachKind, way: readonly string[]): Under[] =>
	way.map((id, i) => ({ key: `${kind}/${id}`, reach: { kind, id }, above: way.slice(i) }));

const ofPerson = (p: PersonFacts): Under[] => {
	const teams = p.teams.length === 1 ? along('team', p.teams[0]!) : once(p.teams.flatMap((way) => along('team', way)));
	return [...teams, alone('person', p.login)];
};

/** Two ways up meet: what is above both is there once. */
const once = (under: Under[]): Under[] => [...new Map(under.map((u) => [u.key, u])).values()];

/** What an endpoint falls under. */
export const underEndpoint = (e: EndpointFacts): Under[] => [
	EVERYTHING,
	ENDPOINTS,
	...(e.site === null ? [] : [alone('site', e.site)]),
	...along('branch', e.branch),
	...(e.person === null ? [] : ofPerson(e.person)),
	alone('endpoint', e.id)
];

/** What a machine falls under, whoever is on it. */
export const underMachine = (m: MachineFacts): Under[] => [
	EVERYTHING,
	MACHINES,
	alone('site', m.site),
	alone('line', m.line),
	alone('version', `${m.line}/${m.version}`),
	alone('pool', m.pool),
	alone('machine', m.name)
];

/** What somebody's session on a machine falls under. Its site is where they sit: printers and formats go by that, and not by where machines run. */
export const underSession = (m: MachineFacts, p: PersonFacts): Under[] => [
	EVERYTHING,
	MACHINES,
	...((p.site ?? m.site) === '' ? [] : [alone('site', p.site ?? m.site)]),
	alone('line', m.line),
	alone('version', `${m.line}/${m.version}`),
	alone('pool', m.pool),
	alone('machine', m.name),
	...ofPerson(p)
];

/** A reach as it is written: `everything`, `branch/ships`. */
export const reachText = (r: Reach): string => (WIDE.has(r.kind) ? r.kind : keyOf(r));

/** Reads a reach; null for what is none. */
export function readReach(text: string): Reach | null {
	const [kind = '', ...rest] = text.trim().split('/');
	const id = rest.join('/');
	if (!(REACH_KINDS as readonly string[]).includes(kind)) return null;
	if (WIDE.has(kind as ReachKind)) return rest.length ? null : { kind: kind as ReachKind, id: '' };
	return id === '' || id.length > 200 ? null : { kind: kind as ReachKind, id };
}
