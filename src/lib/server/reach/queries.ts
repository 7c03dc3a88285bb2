import { LRUCache } from 'lru-cache';
import * as v from 'valibot';
import { namesBy, type Names } from '$lib/core/reach/sentence';
import { readTest, WRITTEN_TEST } from '$lib/core/reach/file';
import { plainRule, type AccessRule, type Otherwise, type Reacher, type Rulebook } from '$lib/core/reach/rules';
import { Catalogue, type Category, type Service } from '$lib/core/reach/targets';
import type { RuleTest } from '$lib/core/reach/tests';
import type { Ground } from '$lib/core/reach/world';
import { readRule, WHATEVER, WRITTEN_RULE, type Known, type Spoken } from '$lib/core/reach/written';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { fromJson } from '../db/json';
import { everybody, type DirectoryPerson } from '../directory';
import { deviceRanges, treeAt } from '../endpoints';
import { networksOf } from '../estate';

export const categoriesAt = (db: Db, at: number): (Category & { sites: number; since: number })[] =>
	all(
		db,
		`SELECT c.id, c.name, c.since, coalesce(s.sites, 0) AS sites FROM site_categories c
		 LEFT JOIN (SELECT category_id, count(*) AS sites FROM categorised_sites WHERE ${asOf('categorised_sites')} GROUP BY category_id) s ON s.category_id = c.id
		 WHERE ${asOf('site_categories c')} ORDER BY c.name, c.id`,
		{ at }
	);

/** A private service as it stands in the database. */
export interface ServiceRow extends Service {
	hosts: string[];
	ports: string[];
	protocol: 'tcp' | 'udp';
	/** The inner gateway that it stands behind, or null. */
	gateway: string | null;
	since: number;
	by: string;
}

export const servicesAt = (db: Db, at: number): ServiceRow[] =>
	all<Omit<ServiceRow, 'hosts' | 'ports'> & { hosts: string; ports: string }>(
		db,
		`SELECT id, name, grouped AS "group", hosts, ports, protocol, gateway_id AS gateway, since, by FROM private_services WHERE ${asOf('private_services')} ORDER BY name, id`,
		{ at }
	).map((s) => ({
		...s,
		hosts: fromJson<string[]>('private_services.hosts', s.hosts),
		ports: fromJson<string[]>('private_services.ports', s.ports)
	}));

/** An inner gateway, as it stands in the database. */
export interface GatewayRow {
	id: string;
	name: string;
	site: string;
	siteName: string;
	/** Where it answers, as host:port. */
	address: string;
	since: number;
	by: string;
}

export const gatewaysAt = (db: Db, at: number): GatewayRow[] =>
	all(
		db,
		`SELECT g.id, g.name, g.site_id AS site, s.name AS siteName, g.address, g.since, g.by FROM inner_gateways g JOIN sites s ON s.id = g.site_id
		 WHERE ${asOf('inner_gateways g')} ORDER BY g.name, g.id`,
		{ at }
	);

/** Whether something answers, since when, and the round trip to it in ms; nothing stands of what was not asked. */
export interface Answering {
	answers: boolean;
	ms: number | null;
	since: number;
}

const STATES = { inner_gateway_states: 'gateway_id', private_service_states: 'service_id' } as const;

/** The private services that each publication does not work without, by its id. */
export const reliedAt = (db: Db, at: number): Map<string, string[]> =>
	new Map(
		all<{ publication: string; services: string }>(
			db,
			`SELECT publication_id AS publication, services FROM relied_services WHERE ${asOf('relied_services')}`,
			{ at }
		).map((r) => [r.publication, fromJson<string[]>('relied_services.services', r.services)])
	);

/** What answered at a moment, by its id. */
export const answeringAt = (db: Db, table: keyof typeof STATES, at: number): Map<string, Answering> =>
	new Map(
		all<{ id: string; answers: number; ms: number | null; since: number }>(
			db,
			`SELECT ${STATES[table]} AS id, answers, ms, since FROM ${table} WHERE ${asOf(table)}`,
			{ at }
		).map(({ id, answers, ...state }) => [id, { ...state, answers: answers === 1 }])
	);

/** Which names are of which category at a moment. */
export const cataloguedAt = (db: Db, at: number): Map<string, string> =>
	new Map(
		all<{ name: string; category: string }>(
			db,
			`SELECT name, category_id AS category FROM categorised_sites WHERE ${asOf('categorised_sites')}`,
			{ at }
		).map((r) => [r.name, r.category])
	);

/** What decides where nothing has ever been said: the web is open, and what is inside is not. */
const AT_FIRST: Otherwise = { web: 'allow', services: 'refuse', channels: 'allow' };

/** A rule with since when it is as it is, and by whom. */
export interface RuleRow {
	rule: AccessRule;
	since: number;
	by: string;
}

/** The rules at a moment in their order, what decides where none does, and their tests. */
export interface BookRow extends Rulebook {
	rows: RuleRow[];
	tests: RuleTest[];
	since: number;
}

/** What stands for a rule that cannot be read: nothing behind it is let through until somebody has mended it. */
const unreadable = (id: string): AccessRule => ({
	...plainRule(id, 'refuse'),
	what: [{ kind: 'web' }, { kind: 'services' }, { kind: 'channels' }],
	words: 'A rule that stands here cannot be read. Until it is mended nothing that comes behind it is let through.'
});

function ruleFrom(id: string, spec: string): AccessRule {
	const form = v.safeParse(WRITTEN_RULE, fromJson<unknown>('access_rules.spec', spec));
	const read = form.success ? readRule(form.output, WHATEVER) : null;
	return read && 'rule' in read ? read.rule : unreadable(id);
}

export function bookAt(db: Db, at: number): BookRow {
	const book = one<{
		rules: string;
		tests: string;
		web: Otherwise['web'];
		services: Otherwise['services'];
		channels: 'allow' | 'refuse';
		since: number;
	}>(db, `SELECT rules, tests, web, services, channels, since FROM access_rulebook WHERE ${asOf('access_rulebook')}`, {
		at
	});
	if (!book) return { rules: [], rows: [], otherwise: AT_FIRST, tests: [], since: 0 };
	const rows = new Map(
		all<{ id: string; spec: string; since: number; by: string }>(
			db,
			`SELECT id, spec, since, by FROM access_rules WHERE ${asOf('access_rules')}`,
			{ at }
		).map(({ id, spec, since, by }): [string, RuleRow] => [id, { rule: ruleFrom(id, spec), since, by }])
	);
	const ordered = [...new Set([...fromJson<string[]>('access_rulebook.rules', book.rules), ...rows.keys()])].flatMap(
		(id) => rows.get(id) ?? []
	);
	const tests = fromJson<unknown[]>('access_rulebook.tests', book.tests).flatMap((t) => {
		const form = v.safeParse(WRITTEN_TEST, t);
		const read = form.success ? readTest(form.output, WHATEVER) : null;
		return read && 'test' in read ? [read.test] : [];
	});
	return {
		rules: ordered.map((r) => r.rule),
		rows: ordered,
		otherwise: { web: book.web, services: book.services, channels: book.channels },
		tests,
		since: book.since
	};
}

/** Everything that is of a site by its address: the networks of its machines, and those that its devices sit in. */
export const rangesAt = (db: Db): { site: string; range: string }[] => [
	...networksOf(db).map(({ site, range }) => ({ site, range })),
	...deviceRanges(db)
];

/** What the estate says that rules are read with. */
export function groundAt(db: Db, at: number): Ground {
	const sites = new Map<string, string[]>();
	for (const n of rangesAt(db)) sites.set(n.site, [...(sites.get(n.site) ?? []), n.range]);
	const tree = treeAt(db, at);
	return {
		catalogue: new Catalogue(cataloguedAt(db, at)),
		services: servicesAt(db, at),
		sites,
		branches: new Map(tree.branches.map((b) => [b.id, tree.above(b.id).map((a) => a.id)]))
	};
}

const reachers = new WeakMap<readonly DirectoryPerson[], readonly Reacher[]>();

export const asReacher = (p: DirectoryPerson): Reacher => ({
	login: p.login,
	teams: p.teams,
	employment: p.employment || null
});

/** Everybody, as rules tell people apart. */
export function reachersAt(db: Db, at: number): readonly Reacher[] {
	const people = everybody(db, at);
	let known = reachers.get(people);
	if (!known) reachers.set(people, (known = people.map(asReacher)));
	return known;
}

/** Where what rules speak of is known from, and what it is called. */
const NAMES: Record<Exclude<Spoken, 'group'>, string> = {
	team: 'SELECT id, name FROM teams',
	person: 'SELECT login AS id, name FROM people',
	pool: `SELECT id, name FROM pools WHERE ${asOf('pools')}`,
	site: 'SELECT id, name FROM sites',
	branch: `SELECT id, name FROM branches WHERE ${asOf('branches')}`,
	category: `SELECT id, name FROM site_categories WHERE ${asOf('site_categories')}`,
	service: `SELECT id, name FROM private_services WHERE ${asOf('private_services')}`
};

/** What rules can speak of at a moment, and what it is called. Each kind is read once it is asked for. */
export function spokenAt(db: Db, at: number): Known & { names: Names } {
	const read = new LRUCache<Spoken, Map<string, string>>({ max: 20 });
	const of = (kind: Spoken): Map<string, string> => {
		let known = read.get(kind);
		if (!known) {
			const rows =
				kind === 'group'
					? servicesAt(db, at).flatMap((s) => (s.group === null ? [] : [{ id: s.group, name: s.group }]))
					: all<{ id: string; name: string }>(db, NAMES[kind], { at });
			read.set(kind, (known = new Map(rows.map((r) => [r.id, r.name]))));
		}
		return known;
	};
	return {
		has: (kind, id) => of(kind).has(id),
		all: (kind) => of(kind).keys(),
		names: namesBy((kind, id) => of(kind).get(id))
	};
}
