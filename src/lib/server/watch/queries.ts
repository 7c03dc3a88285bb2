import type { Scope, Term } from '$lib/core/scope/scope';
import { DAY, FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { apdex, SIGN_IN_TARGET } from '$lib/core/watch/apdex';
import type { Phase } from '$lib/core/watch/phases';
import type { Load } from '$lib/core/watch/strain';
import type { Fact } from '$lib/core/why/explained';
import { all, one, type Db } from '../db';
import { scopeCondition, type Subject } from '../moment/scope-sql';

/** A list under scope at a moment, ready to be shown row by row. */
export interface Page<T> {
	rows: T[];
	total: number;
	/** Terms of the scope that mean nothing for this list. */
	left: Term[];
}

export interface PageAsk {
	at: number;
	scope: Scope;
	sort: string;
	descending: boolean;
	limit: number;
	offset: number;
}

/** The minute of samples that holds at a moment. */
export const sampledAt = (at: number): number => Math.floor(at / MINUTE) * MINUTE;

export interface MachineRow {
	id: number;
	name: string;
	pool: string;
	poolName: string;
	site: string;
	host: string;
	line: string;
	version: string;
	state: string;
	stateSince: number;
	/** First failing check, if any: the machine is unusable. */
	failing: string | null;
	sessions: number;
	strain: number | null;
	cores: number | null;
	memory: number | null;
	owner: string | null;
	address: string;
}

const MACHINE_FROM = `FROM machines m
	JOIN machine_places pl ON pl.machine_id = m.id AND pl.since <= @at AND pl.until > @at
	JOIN hosts h ON h.id = pl.host_id
	JOIN machine_states st ON st.machine_id = m.id AND st.since = (SELECT max(since) FROM machine_states x WHERE x.machine_id = m.id AND x.since <= @at)
	WHERE m.since <= @at AND m.until > @at`;

const MACHINE_SORTS: Record<string, string> = {
	name: 'm.name',
	pool: 'm.pool_id',
	site: 'm.site_id',
	host: 'h.name',
	version: 'pl.version',
	state: 'st.state',
	since: 'st.since',
	sessions: 'sessions',
	strain: 'strain'
};

/** Machines under scope as they were at a moment. */
export function machinesPage(db: Db, ask: PageAsk): Page<MachineRow> {
	const condition = scopeCondition(ask.scope, 'machine');
	const params = { at: ask.at, sampled: sampledAt(ask.at), limit: ask.limit, offset: ask.offset, ...condition.params };
	const order = MACHINE_SORTS[ask.sort] ?? 'm.name';
	// Sorting by a column of the machine itself needs none of the joined figures: they are looked up for the rows shown.
	const computed = order === 'sessions' || order === 'strain';
	const figures = `(SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.since <= @at AND s.until > @at) AS sessions,
		(SELECT strain FROM samples_1m x WHERE x.at = @sampled AND x.machine_id = m.id) AS strain`;
	const ids = all<{ id: number }>(
		db,
		`SELECT m.id${computed ? `, ${figures}` : ''} ${MACHINE_FROM} AND ${condition.sql} ORDER BY ${order} ${ask.descending ? 'DESC' : 'ASC'}, m.name LIMIT @limit OFFSET @offset`,
		params
	).map((r) => r.id);
	const total = one<{ n: number }>(db, `SELECT count(*) AS n ${MACHINE_FROM} AND ${condition.sql}`, params)!.n;
	const rows = new Map(machineRows(db, ids, ask.at).map((r) => [r.id, r]));
	return { rows: ids.map((id) => rows.get(id)!), total, left: condition.left };
}

/** All that is shown of machines, by id, in no order. */
export function machineRows(db: Db, ids: number[], at: number): MachineRow[] {
	return all<MachineRow>(
		db,
		`SELECT m.id, m.name, m.pool_id AS pool, coalesce(po.name, m.pool_id) AS poolName, m.site_id AS site, h.name AS host, pl.line_id AS line, pl.version, pl.address,
		 st.state, st.since AS stateSince,
		 (SELECT f.name FROM failing_checks f WHERE f.machine_id = m.id AND f.since <= @at AND f.until > @at ORDER BY f.name = 'gateway', f.since LIMIT 1) AS failing,
		 (SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.since <= @at AND s.until > @at) AS sessions,
		 x.strain, x.cores / 1000.0 AS cores, x.memory / 1000.0 AS memory, pe.name AS owner
		 FROM machines m
		 JOIN machine_places pl ON pl.machine_id = m.id AND pl.since <= @at AND pl.until > @at
		 JOIN hosts h ON h.id = pl.host_id
		 JOIN machine_states st ON st.machine_id = m.id AND st.since = (SELECT max(since) FROM machine_states y WHERE y.machine_id = m.id AND y.since <= @at)
		 LEFT JOIN pools po ON po.id = m.pool_id AND po.since <= @at AND po.until > @at
		 LEFT JOIN people pe ON pe.id = pl.owner_id
		 LEFT JOIN samples_1m x ON x.at = @sampled AND x.machine_id = m.id
		 WHERE m.id IN (SELECT value FROM json_each(@ids))`,
		{ at, sampled: sampledAt(at), ids: JSON.stringify(ids) }
	);
}

/** The machine of this name at a moment, or the last one that had it. */
export function machineByName(db: Db, name: string, at: number): { id: number; since: number; until: number } | null {
	return (
		one(db, 'SELECT id, since, until FROM machines WHERE name = ? AND since <= ? ORDER BY since DESC LIMIT 1', [
			name,
			at
		]) ?? null
	);
}

export interface SessionRow {
	id: number;
	person: string;
	login: string;
	team: string;
	machine: string;
	pool: string;
	site: string;
	publication: string;
	gateway: string;
	protocol: string;
	since: number;
	until: number;
	state: string;
	signIn: number;
	strain: number | null;
}

const SESSION_FROM = `FROM sessions s
	JOIN people pe ON pe.id = s.person_id
	JOIN machines m ON m.id = s.machine_id
	JOIN machine_places pl ON pl.machine_id = m.id AND pl.since <= @at AND pl.until > @at
	JOIN hosts h ON h.id = pl.host_id
	JOIN session_states ss ON ss.session_id = s.id AND ss.since <= @at AND ss.until > @at
	WHERE s.since <= @at AND s.until > @at`;
const SESSION_COLUMNS = `s.id, pe.name AS person, pe.login, pe.team_id AS team, m.name AS machine, m.pool_id AS pool, m.site_id AS site, s.publication_id AS publication,
	s.gateway_id AS gateway, s.protocol, s.since, s.until, ss.state, s.sign_in AS signIn,
	(SELECT strain FROM samples_1m x WHERE x.at = @sampled AND x.machine_id = m.id) AS strain`;
const SESSION_SORTS: Record<string, string> = {
	person: 'pe.name',
	machine: 'm.name',
	pool: 'm.pool_id',
	team: 'pe.team_id',
	site: 'm.site_id',
	protocol: 's.protocol',
	gateway: 's.gateway_id',
	since: 's.since',
	state: 'ss.state',
	signin: 's.sign_in',
	strain: 'strain'
};

/** Sessions open at a moment, under scope. */
export const sessionsPage = (db: Db, ask: PageAsk): Page<SessionRow> =>
	page<SessionRow>(db, ask, 'session', SESSION_COLUMNS, SESSION_FROM, SESSION_SORTS, 'pe.name');

export interface PersonRow {
	id: number;
	login: string;
	name: string;
	team: string;
	site: string;
	pattern: string;
	managed: number;
	sessions: number;
	machine: string | null;
	lastSignIn: number | null;
}

const PERSON_COLUMNS = `pe.id, pe.login, pe.name, t.name AS team, pe.site_id AS site, pe.pattern, pe.managed,
	(SELECT count(*) FROM sessions s WHERE s.person_id = pe.id AND s.since <= @at AND s.until > @at) AS sessions,
	(SELECT m.name FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE s.person_id = pe.id AND s.since <= @at AND s.until > @at ORDER BY s.since LIMIT 1) AS machine,
	(SELECT max(s.since) FROM sessions s WHERE s.person_id = pe.id AND s.since <= @at) AS lastSignIn`;
const PERSON_FROM = 'FROM people pe JOIN teams t ON t.id = pe.team_id WHERE 1';
const PERSON_SORTS: Record<string, string> = {
	name: 'pe.name',
	login: 'pe.login',
	team: 'pe.team_id',
	site: 'pe.site_id',
	sessions: 'sessions',
	since: 'lastSignIn'
};

/** People under scope, with what they have open at a moment. */
export const peoplePage = (db: Db, ask: PageAsk): Page<PersonRow> =>
	page<PersonRow>(db, ask, 'person', PERSON_COLUMNS, PERSON_FROM, PERSON_SORTS, 'pe.name');

export interface HostRow {
	id: number;
	name: string;
	site: string;
	coreCount: number;
	memorySize: number;
	gpuCount: number;
	machines: number;
	up: number;
	sessions: number;
	cores: number | null;
	memory: number | null;
	gpu: number | null;
}

const HOST_COLUMNS = `h.id, h.name, h.site_id AS site, h.cores AS coreCount, h.memory AS memorySize, h.gpus AS gpuCount,
	(SELECT count(*) FROM machine_places pl WHERE pl.host_id = h.id AND pl.since <= @at AND pl.until > @at) AS machines,
	(SELECT count(*) FROM machine_places pl JOIN machine_states st ON st.machine_id = pl.machine_id AND st.since <= @at AND st.until > @at AND st.state NOT IN ('off', 'failed') WHERE pl.host_id = h.id AND pl.since <= @at AND pl.until > @at) AS up,
	(SELECT count(*) FROM machine_places pl JOIN sessions s ON s.machine_id = pl.machine_id AND s.since <= @at AND s.until > @at WHERE pl.host_id = h.id AND pl.since <= @at AND pl.until > @at) AS sessions,
	(SELECT cores / 1000.0 FROM host_samples_1m x WHERE x.at = @sampled AND x.host_id = h.id) AS cores,
	(SELECT memory / 1000.0 FROM host_samples_1m x WHERE x.at = @sampled AND x.host_id = h.id) AS memory,
	(SELECT gpu / 1000.0 FROM host_samples_1m x WHERE x.at = @sampled AND x.host_id = h.id) AS gpu`;
const HOST_SORTS: Record<string, string> = {
	name: 'h.name',
	site: 'h.site_id',
	machines: 'machines',
	up: 'up',
	sessions: 'sessions',
	cores: 'cores',
	memory: 'memory'
};

/** Hosts under scope, with what runs on them at a moment. */
export const hostsPage = (db: Db, ask: PageAsk): Page<HostRow> =>
	page<HostRow>(db, ask, 'host', HOST_COLUMNS, 'FROM hosts h WHERE 1', HOST_SORTS, 'h.name');

function page<T>(
	db: Db,
	ask: PageAsk,
	subject: Subject,
	columns: string,
	from: string,
	sorts: Record<string, string>,
	usual: string
): Page<T> {
	const condition = scopeCondition(ask.scope, subject);
	const params = { at: ask.at, sampled: sampledAt(ask.at), limit: ask.limit, offset: ask.offset, ...condition.params };
	const rows = all<T>(
		db,
		`SELECT ${columns} ${from} AND ${condition.sql} ORDER BY ${sorts[ask.sort] ?? usual} ${ask.descending ? 'DESC' : 'ASC'}, ${usual} LIMIT @limit OFFSET @offset`,
		params
	);
	const total = one<{ n: number }>(db, `SELECT count(*) AS n ${from} AND ${condition.sql}`, params)!.n;
	return { rows, total, left: condition.left };
}

/** Which columns a list can be sorted by. */
export const SORTS = {
	machines: Object.keys(MACHINE_SORTS),
	sessions: Object.keys(SESSION_SORTS),
	people: Object.keys(PERSON_SORTS),
	hosts: Object.keys(HOST_SORTS)
};

/** Sessions open right now on machines. */
export function sessionsOn(
	db: Db,
	machineIds: number[]
): { id: number; person: string; login: string; machine: string; since: number }[] {
	return all(
		db,
		`SELECT s.id, pe.name AS person, pe.login, m.name AS machine, s.since FROM sessions s JOIN people pe ON pe.id = s.person_id JOIN machines m ON m.id = s.machine_id
		 WHERE s.until = ${FOREVER} AND s.machine_id IN (SELECT value FROM json_each(?)) ORDER BY pe.name`,
		[JSON.stringify(machineIds)]
	);
}

/** The figures of the scope line: each counted one way only, so that every screen shows the same. */
export interface Figures {
	people: number;
	sessions: number;
	machines: number;
	up: number;
	unusable: number;
	apdex: number | null;
	/** Cents for each hour, of the machines that are up. */
	costHour: number;
}

/** The main figures of a scope at a moment. */
export function figuresAt(db: Db, scope: Scope, at: number): Figures {
	const m = scopeCondition(scope, 'machine');
	const s = scopeCondition(scope, 'session');
	const base = { at, sampled: sampledAt(at) };
	const machines = one<{ n: number; up: number | null; unusable: number | null; cost: number | null }>(
		db,
		`SELECT count(*) AS n, sum(up) AS up, sum(unusable) AS unusable, sum(up * price) AS cost FROM (
			SELECT st.state NOT IN ('off', 'failed') AS up,
			(st.state = 'failed' OR EXISTS (SELECT 1 FROM failing_checks f WHERE f.machine_id = m.id AND f.name <> 'gateway' AND f.since <= @at AND f.until > @at)) AS unusable,
			(SELECT price_hour FROM pools po WHERE po.id = m.pool_id AND po.since <= @at AND po.until > @at) AS price
			${MACHINE_FROM} AND ${m.sql})`,
		{ ...base, ...m.params }
	)!;
	const sessions = one<{ n: number; people: number }>(
		db,
		`SELECT count(*) AS n, count(DISTINCT s.person_id) AS people ${SESSION_FROM} AND ${s.sql}`,
		{ ...base, ...s.params }
	)!;
	const signIns = all<{ took: number }>(
		db,
		`SELECT s.sign_in AS took FROM sessions s JOIN people pe ON pe.id = s.person_id JOIN machines m ON m.id = s.machine_id
		 JOIN machine_places pl ON pl.machine_id = m.id AND pl.since <= s.since AND pl.until > s.since JOIN hosts h ON h.id = pl.host_id
		 LEFT JOIN session_states ss ON ss.session_id = s.id AND ss.since <= @at AND ss.until > @at
		 WHERE s.since > @from AND s.since <= @at AND ${s.sql}`,
		{ ...base, from: at - DAY, ...s.params }
	).map((r) => r.took);
	// Lost connections have no session; they count where the scope can tell.
	const lost = scope.terms.every(
		(t) => t.type === 'facet' && (t.facet === 'site' || t.facet === 'pool' || t.facet === 'team')
	)
		? lostWithin(db, scope, at - DAY, at)
		: 0;
	return {
		people: sessions.people,
		sessions: sessions.n,
		machines: machines.n,
		up: machines.up ?? 0,
		unusable: machines.unusable ?? 0,
		apdex: apdex(signIns, SIGN_IN_TARGET, lost),
		costHour: machines.cost ?? 0
	};
}

/** Connections lost within a span, by site and team of the person or the pool that they were for. */
function lostWithin(db: Db, scope: Scope, from: number, to: number): number {
	const parts: string[] = [];
	const params: Record<string, unknown> = { from, to };
	scope.terms.forEach((t, i) => {
		if (t.type !== 'facet') return;
		params[`k${i}`] = JSON.stringify(t.values);
		const list = `(SELECT value FROM json_each(@k${i}))`;
		const sql =
			t.facet === 'site'
				? `pe.site_id IN ${list}`
				: t.facet === 'team'
					? `pe.team_id IN (SELECT team_id FROM team_nesting WHERE above_id IN ${list})`
					: `c.pool_id IN ${list}`;
		parts.push(t.not ? `NOT (${sql})` : sql);
	});
	return one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM connections c JOIN people pe ON pe.id = c.person_id WHERE c.ended > @from AND c.ended <= @to AND c.result IN ('lost', 'gave up') ${parts.map((p) => `AND ${p}`).join(' ')}`,
		params
	)!.n;
}

/** One cell of the estate: what a level cell needs, and no more. */
export interface Cell {
	name: string;
	site: string;
	pool: string;
	poolName: string;
	/** in use · ready · off · starting · trouble */
	mark: 'use' | 'ready' | 'off' | 'starting' | 'trouble';
	strain: number;
}

/** Every machine under scope as a cell, by site and pool. */
export function cellsAt(db: Db, scope: Scope, at: number): Cell[] {
	const condition = scopeCondition(scope, 'machine');
	return all<{
		name: string;
		site: string;
		pool: string;
		poolName: string;
		state: string;
		failing: number;
		strain: number | null;
	}>(
		db,
		`SELECT m.name, m.site_id AS site, m.pool_id AS pool, coalesce((SELECT name FROM pools po WHERE po.id = m.pool_id AND po.since <= @at AND po.until > @at), m.pool_id) AS poolName, st.state,
		 EXISTS (SELECT 1 FROM failing_checks f WHERE f.machine_id = m.id AND f.name <> 'gateway' AND f.since <= @at AND f.until > @at) AS failing,
		 (SELECT strain FROM samples_1m x WHERE x.at = @sampled AND x.machine_id = m.id) AS strain
		 ${MACHINE_FROM} AND ${condition.sql} ORDER BY (SELECT position FROM sites WHERE id = m.site_id), m.pool_id, m.name`,
		{ at, sampled: sampledAt(at), ...condition.params }
	).map((r) => ({
		name: r.name,
		site: r.site,
		pool: r.pool,
		poolName: r.poolName,
		mark:
			r.failing || r.state === 'failed'
				? 'trouble'
				: r.state === 'off'
					? 'off'
					: r.state === 'in use' || r.state === 'leaving'
						? 'use'
						: r.state === 'ready'
							? 'ready'
							: 'starting',
		strain: r.strain ?? 0
	}));
}

export interface SamplePoint {
	at: number;
	cores: number;
	memory: number;
	diskMs: number;
	gpu: number | null;
	inputMs: number;
	rttMs: number;
	sessions: number;
	strain: number;
}

/** Samples of a machine over a span, from the finest rollup that keeps it to about 500 points. */
export function samplesOf(db: Db, machine: number, from: number, to: number): { step: number; points: SamplePoint[] } {
	const width = to - from;
	const [table, step] =
		width <= 8 * HOUR
			? (['samples_1m', MINUTE] as const)
			: width <= 5 * DAY
				? (['samples_15m', 15 * MINUTE] as const)
				: (['samples_6h', 6 * HOUR] as const);
	// The key leads with the time, so each grid point is sought by itself.
	const rows = all<Record<string, number>>(
		db,
		`WITH RECURSIVE grid(at) AS (SELECT ? UNION ALL SELECT at + ? FROM grid WHERE at + ? < ?) SELECT x.* FROM grid JOIN ${table} x ON x.at = grid.at AND x.machine_id = ?`,
		[Math.ceil(from / step) * step, step, step, to, machine]
	);
	return { step, points: rows.map(toPoint) };
}

const toPoint = (r: Record<string, number>): SamplePoint => ({
	at: r.at!,
	cores: r.cores! / 1000,
	memory: r.memory! / 1000,
	diskMs: r.disk! / 1000,
	gpu: r.gpu! < 0 ? null : r.gpu! / 1000,
	inputMs: r.input! / 1000,
	rttMs: r.trip! / 1000,
	sessions: r.sessions!,
	strain: r.strain!
});

/** The load of a machine in the minute that holds at a moment, or null when it was not up. */
export function loadAt(db: Db, machine: number, at: number): Load | null {
	const r = one<Record<string, number>>(db, 'SELECT * FROM samples_1m WHERE at = ? AND machine_id = ?', [
		sampledAt(at),
		machine
	]);
	return r ? toPoint(r) : null;
}

export interface ConnectionRow {
	id: number;
	person: string;
	login: string;
	publication: string;
	gateway: string;
	protocol: string;
	address: string;
	began: number;
	ended: number;
	result: 'open' | 'refused' | 'lost' | 'gave up';
	machine: string | null;
	session: number | null;
	waited: number;
	took: number;
	phases: Phase[];
	cause: Fact[];
}

/** A person's record of connections up to a moment, newest first, lost ones included. */
export function connectionsOf(db: Db, person: number, at: number, limit = 60): ConnectionRow[] {
	return connections(db, 'c.person_id = ? AND c.ended <= ? ORDER BY c.ended DESC LIMIT ?', [person, at, limit]);
}

/** The connection that opened a session. */
export const connectionOf = (db: Db, session: number): ConnectionRow | null =>
	connections(db, 'c.session_id = ? ORDER BY c.id LIMIT 1', [session])[0] ?? null;

/** Connections that were lost, refused or given up within a span, newest first. */
export const failedConnections = (db: Db, from: number, to: number, limit = 400): ConnectionRow[] =>
	connections(db, `c.ended > ? AND c.ended <= ? AND c.result <> 'open' ORDER BY c.ended DESC LIMIT ?`, [
		from,
		to,
		limit
	]);

function connections(db: Db, where: string, params: unknown[]): ConnectionRow[] {
	return all<Omit<ConnectionRow, 'phases' | 'cause'> & { phases: string; cause: string }>(
		db,
		`SELECT c.id, pe.name AS person, pe.login, c.publication_id AS publication, c.gateway_id AS gateway, c.protocol, c.address, c.began, c.ended, c.result, m.name AS machine,
		 c.session_id AS session, c.waited, c.took, c.phases, c.cause FROM connections c JOIN people pe ON pe.id = c.person_id LEFT JOIN machines m ON m.id = c.machine_id WHERE ${where}`,
		params
	).map((c) => ({ ...c, phases: JSON.parse(c.phases) as Phase[], cause: JSON.parse(c.cause) as Fact[] }));
}

/** The usual time of each phase: the median over the last full sign-ins of everybody. */
export function usualPhases(db: Db, at: number, sample = 400): Partial<Record<Phase['name'], number>> {
	const rows = all<{ phases: string }>(
		db,
		`SELECT phases FROM connections WHERE ended <= ? AND ended > ? AND result = 'open' ORDER BY ended DESC LIMIT ?`,
		[at, at - 3 * DAY, sample]
	);
	const by = new Map<Phase['name'], number[]>();
	for (const row of rows) {
		const phases = JSON.parse(row.phases) as Phase[];
		if (!phases.some((p) => p.name === 'shell')) continue;
		for (const p of phases) by.set(p.name, [...(by.get(p.name) ?? []), p.ms]);
	}
	return Object.fromEntries([...by].map(([name, ms]) => [name, ms.sort((a, b) => a - b)[Math.floor(ms.length / 2)]!]));
}
