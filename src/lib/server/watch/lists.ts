import { proofOf, theirDevice } from '../moment/endpoint-sql';
import { FACTS_HERE, homeTeam } from '../moment/people-sql';
import * as v from 'valibot';
import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';
import { moment, share, span, text, whole } from '../lists/columns';
import { listKind, type ListKind, type Page, type PageAsk } from '../lists/kind';
import { atMoment, SAMPLED_STRAIN, sampledHost, sampledShare } from '../samples/read';
import { OPEN, scopeCondition, type Subject } from '../moment/scope-sql';

/** How a list is read: its own table, what else its columns come from, and what it can be sorted by. */
export interface Listing {
	subject: Subject;
	id: string;
	table: string;
	where: string;
	/** Further tables by alias, each building on those before. Each always has its one row, so that it can be left out where nothing is asked of it. */
	joins: [alias: string, sql: string][];
	columns: string;
	sorts: Record<string, string>;
	usual: string;
}

const SPOT: [string, string] = ['pl', `JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl')}`];
const HOST: [string, string] = ['h', 'JOIN hosts h ON h.id = pl.host_id'];
const STATE: [string, string] = [
	'st',
	'JOIN machine_states st ON st.machine_id = m.id AND st.since = (SELECT max(since) FROM machine_states x WHERE x.machine_id = m.id AND x.since <= @at)'
];
/** What lists call things by, beside the ids that scopes name. */
const POOL_NAME = `coalesce((SELECT name FROM pools po WHERE po.id = m.pool_id AND ${asOf('pools po')}), m.pool_id)`;
const siteName = (id: string) => `(SELECT name FROM sites WHERE id = ${id})`;
const sessionsWhere = (where: string) => `(SELECT count(*) FROM sessions s WHERE ${where} AND ${OPEN})`;

/** From which tables, and where, with no more joins than what is `used` asks for. */
export function fromOf(listing: Listing, ...used: string[]): string {
	let text = [listing.where, ...used].join(' ');
	const joins: string[] = [];
	for (const [alias, sql] of [...listing.joins].reverse()) {
		if (!new RegExp(`\\b${alias}\\.`).test(text)) continue;
		joins.unshift(sql);
		text += ` ${sql}`;
	}
	return `FROM ${listing.table} ${joins.join(' ')} WHERE ${listing.where}`;
}

const machineRowOf = v.strictObject({
	id: whole,
	name: text,
	pool: text,
	poolName: text,
	site: text,
	siteName: text,
	host: text,
	line: text,
	version: text,
	state: text,
	stateSince: moment,
	/** First failing check, if any: the machine is unusable. */
	failing: v.nullable(text),
	sessions: whole,
	strain: v.nullable(v.number()),
	cores: v.nullable(share),
	memory: v.nullable(share),
	owner: v.nullable(text),
	address: text
});
export type MachineRow = v.InferOutput<typeof machineRowOf>;

export const MACHINES: Listing = {
	subject: 'machine',
	id: 'm.id',
	table: 'machines m',
	where: asOf('machines m'),
	joins: [SPOT, HOST, STATE],
	columns: `m.id, m.name, m.pool_id AS pool, ${POOL_NAME} AS poolName,
		m.site_id AS site, ${siteName('m.site_id')} AS siteName, h.name AS host, pl.line_id AS line, pl.version, pl.address, st.state, st.since AS stateSince,
		(SELECT f.name FROM failing_checks f WHERE f.machine_id = m.id AND ${asOf('failing_checks f')} ORDER BY f.name = 'gateway', f.since LIMIT 1) AS failing,
		${sessionsWhere('s.machine_id = m.id')} AS sessions, ${SAMPLED_STRAIN} AS strain,
		${sampledShare('cores')} AS cores, ${sampledShare('memory')} AS memory, (SELECT name FROM people pe WHERE pe.id = pl.owner_id) AS owner`,
	sorts: {
		name: 'm.name',
		pool: 'm.pool_id',
		site: 'm.site_id',
		host: 'h.name',
		version: 'pl.version',
		state: 'st.state',
		since: 'st.since',
		sessions: sessionsWhere('s.machine_id = m.id'),
		strain: SAMPLED_STRAIN
	},
	usual: 'm.name'
};

/** Machines under scope as they were at a moment. */
export const machinesPage = (db: Db, ask: PageAsk): Page<MachineRow> => listingPage<MachineRow>(db, ask, MACHINES);

/** All that is shown of one machine, or undefined when it was not there at the moment. */
export const machineRow = (db: Db, id: number, at: number): MachineRow | undefined =>
	rowsOf<MachineRow>(db, MACHINES, [id], at)[0];

const sessionRowOf = v.strictObject({
	id: whole,
	person: text,
	login: text,
	team: text,
	teamName: text,
	machine: text,
	pool: text,
	poolName: text,
	site: text,
	siteName: text,
	publication: text,
	gateway: text,
	protocol: text,
	since: moment,
	until: moment,
	state: text,
	signIn: span,
	strain: v.nullable(v.number())
});
export type SessionRow = v.InferOutput<typeof sessionRowOf>;

export const SESSIONS: Listing = {
	subject: 'session',
	id: 's.id',
	table: 'sessions s',
	where: OPEN,
	joins: [
		['pe', 'JOIN people pe ON pe.id = s.person_id'],
		['m', 'JOIN machines m ON m.id = s.machine_id'],
		SPOT,
		HOST,
		['ss', `JOIN session_states ss ON ss.session_id = s.id AND ${asOf('session_states ss')}`]
	],
	columns: `s.id, pe.name AS person, pe.login, ${homeTeam('pe.id')} AS team, (SELECT name FROM teams WHERE id = ${homeTeam('pe.id')}) AS teamName, m.name AS machine, m.pool_id AS pool, ${POOL_NAME} AS poolName,
		m.site_id AS site, ${siteName('m.site_id')} AS siteName, s.publication_id AS publication,
		s.gateway_id AS gateway, s.protocol, s.since, s.until, ss.state, s.sign_in AS signIn, ${SAMPLED_STRAIN} AS strain`,
	sorts: {
		person: 'pe.name',
		machine: 'm.name',
		pool: 'm.pool_id',
		team: homeTeam('pe.id'),
		site: 'm.site_id',
		protocol: 's.protocol',
		gateway: 's.gateway_id',
		since: 's.since',
		state: 'ss.state',
		signin: 's.sign_in',
		strain: SAMPLED_STRAIN
	},
	usual: 'pe.name'
};

/** All sessions there have been: spots and teams as they were when each began, the state that the moment finds it in, if any. */
export const BEGUN_SESSIONS: Listing = {
	...SESSIONS,
	where: '1',
	columns: SESSIONS.columns.replaceAll(homeTeam('pe.id'), homeTeam('pe.id', 's.since')),
	sorts: { ...SESSIONS.sorts, team: homeTeam('pe.id', 's.since') },
	joins: SESSIONS.joins.map(([alias, sql]) => [
		alias,
		alias === 'pl' ? sql.replaceAll('@at', 's.since') : alias === 'ss' ? `LEFT ${sql}` : sql
	])
};

/** Sessions open at a moment, under scope. */
export const sessionsPage = (db: Db, ask: PageAsk): Page<SessionRow> => listingPage<SessionRow>(db, ask, SESSIONS);

const personRowOf = v.strictObject({
	id: whole,
	login: text,
	name: text,
	/** Of their home team; null where they are of none. */
	team: v.nullable(text),
	mail: v.nullable(text),
	employment: text,
	begins: moment,
	ends: moment,
	site: text,
	siteName: text,
	/** Time zone of their site: their first and last day are days there. */
	zone: text,
	pattern: text,
	/** What they were on last, or what is kept for them, and whether it proves to be managed. */
	endpoint: v.nullable(text),
	managed: whole,
	sessions: whole,
	machine: v.nullable(text),
	lastSignIn: v.nullable(moment)
});
export type PersonRow = v.InferOutput<typeof personRowOf>;

const LAST_SIGN_IN = '(SELECT max(s.since) FROM sessions s WHERE s.person_id = f.person_id AND s.since <= @at)';
const PEOPLE: Listing = {
	subject: 'person',
	id: 'f.person_id',
	table: 'person_facts f',
	where: FACTS_HERE,
	joins: [
		['pe', 'JOIN people pe ON pe.id = f.person_id'],
		['t', `LEFT JOIN teams t ON t.id = ${homeTeam('f.person_id')}`],
		[
			'ep',
			`LEFT JOIN endpoint_facts ep ON ep.endpoint_id = ${theirDevice('f.person_id')} AND ${asOf('endpoint_facts ep')}`
		]
	],
	columns: `f.person_id AS id, pe.login, f.name, t.name AS team, f.mail, f.employment, f.begins, f.ends, f.site_id AS site, ${siteName('f.site_id')} AS siteName, (SELECT time_zone FROM sites WHERE id = f.site_id) AS zone, f.pattern, ep.name AS endpoint, ${proofOf('ep.endpoint_id')} = 'good' AS managed, ${sessionsWhere('s.person_id = f.person_id')} AS sessions,
		(SELECT m.name FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE s.person_id = f.person_id AND ${OPEN} ORDER BY s.since LIMIT 1) AS machine,
		${LAST_SIGN_IN} AS lastSignIn`,
	sorts: {
		name: 'f.name',
		login: 'f.login',
		team: homeTeam('f.person_id'),
		site: 'f.site_id',
		begins: 'f.begins',
		ends: 'f.ends',
		employment: 'f.employment',
		sessions: sessionsWhere('s.person_id = f.person_id'),
		since: LAST_SIGN_IN
	},
	usual: 'f.name'
};

/** People under scope, with what they have open at a moment. */
export const peoplePage = (db: Db, ask: PageAsk): Page<PersonRow> => listingPage<PersonRow>(db, ask, PEOPLE);

const hostRowOf = v.strictObject({
	id: whole,
	name: text,
	site: text,
	siteName: text,
	coreCount: whole,
	memorySize: v.number(),
	gpuCount: whole,
	machines: whole,
	up: whole,
	sessions: whole,
	cores: v.nullable(share),
	memory: v.nullable(share),
	gpu: v.nullable(share)
});
export type HostRow = v.InferOutput<typeof hostRowOf>;

const onHost = (joins: string) =>
	`(SELECT count(*) FROM machine_spots pl ${joins} WHERE pl.host_id = h.id AND ${asOf('machine_spots pl')})`;
const HOST_FIGURES = {
	machines: onHost(''),
	up: onHost(
		`JOIN machine_states st ON st.machine_id = pl.machine_id AND ${asOf('machine_states st')} AND st.state NOT IN ('off', 'failed')`
	),
	sessions: onHost(`JOIN sessions s ON s.machine_id = pl.machine_id AND ${OPEN}`),
	cores: sampledHost('cores'),
	memory: sampledHost('memory'),
	gpu: sampledHost('gpu')
};
const HOSTS: Listing = {
	subject: 'host',
	id: 'h.id',
	table: 'hosts h',
	where: '1',
	joins: [],
	columns: `h.id, h.name, h.site_id AS site, ${siteName('h.site_id')} AS siteName, h.cores AS coreCount, h.memory AS memorySize, h.gpus AS gpuCount, ${Object.entries(
		HOST_FIGURES
	)
		.map(([name, sql]) => `${sql} AS ${name}`)
		.join(', ')}`,
	sorts: { name: 'h.name', site: 'h.site_id', ...HOST_FIGURES },
	usual: 'h.name'
};

/** Hosts under scope, with what runs on them at a moment. */
export const hostsPage = (db: Db, ask: PageAsk): Page<HostRow> => listingPage<HostRow>(db, ask, HOSTS);

/** First the order and the ids on the page, then all that is shown of them: what is not shown is not worked out. */
export function listingPage<T extends { id: number | string }>(db: Db, ask: PageAsk, listing: Listing): Page<T> {
	const condition = scopeCondition(ask.scope, listing.subject);
	const order = (Object.hasOwn(listing.sorts, ask.sort) ? listing.sorts[ask.sort] : undefined) ?? listing.usual;
	const params = { ...atMoment(db, ask.at), limit: ask.limit, offset: ask.offset, ...condition.params };
	const ids = all<{ id: number | string }>(
		db,
		`SELECT ${listing.id} AS id ${fromOf(listing, condition.sql, order, listing.usual)} AND ${condition.sql}
		 ORDER BY ${order} ${ask.descending ? 'DESC' : 'ASC'}, ${listing.usual}, ${listing.id} LIMIT @limit OFFSET @offset`,
		params
	).map((r) => r.id);
	const total = one<{ n: number }>(
		db,
		`SELECT count(*) AS n ${fromOf(listing, condition.sql)} AND ${condition.sql}`,
		params
	)!.n;
	const rows = new Map(rowsOf<T>(db, listing, ids, ask.at).map((r) => [r.id, r]));
	return { rows: ids.map((id) => rows.get(id)!), total, left: condition.left };
}

/** Rows of a list by id, in no order. */
function rowsOf<T>(db: Db, listing: Listing, ids: (number | string)[], at: number): T[] {
	return all<T>(
		db,
		`SELECT ${listing.columns} ${fromOf(listing, listing.columns)} AND ${listing.id} IN (SELECT value FROM json_each(@ids))`,
		{ ...atMoment(db, at), ids: JSON.stringify(ids) }
	);
}

export const watchLists: readonly ListKind[] = [
	listKind({
		name: 'hosts',
		words: 'Hosts, with what runs on them',
		card: 'host',
		row: hostRowOf,
		sorts: Object.keys(HOSTS.sorts),
		page: hostsPage,
		idOf: (r) => r.name,
		called: (r) => r.name
	}),
	listKind({
		name: 'machines',
		words: 'Machines with their state, strain and sessions',
		card: 'machine',
		row: machineRowOf,
		sorts: Object.keys(MACHINES.sorts),
		page: machinesPage,
		idOf: (r) => r.name,
		called: (r) => r.name
	}),
	listKind({
		name: 'sessions',
		words: 'Sessions that are open',
		card: 'session',
		row: sessionRowOf,
		sorts: Object.keys(SESSIONS.sorts),
		page: sessionsPage
	}),
	listKind({
		name: 'people',
		words: 'People, with what they have open',
		card: 'person',
		row: personRowOf,
		sorts: Object.keys(PEOPLE.sorts),
		page: peoplePage,
		idOf: (r) => r.login,
		called: (r) => `${r.name}, ${r.team}`
	})
];
