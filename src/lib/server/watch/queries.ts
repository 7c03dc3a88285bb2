import { homeTeam, ofTeams, siteOf } from '../moment/people-sql';
import { median } from '$lib/core/measures/quantile';
import type { Scope } from '$lib/core/scope/scope';
import { DAY, FOREVER } from '$lib/core/time/units';
import { apdexOf, SIGN_IN_TARGET } from '$lib/core/watch/apdex';
import type { Phase } from '$lib/core/watch/phases';
import type { Load } from '$lib/core/watch/strain';
import type { ConnectionRow, SamplePoint } from '$lib/core/watch/records';
import type { Fact } from '$lib/core/why/explained';
import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';
import { atMoment, SAMPLED_STRAIN, sampleAt, samplesBetween, type Kept } from '../samples/read';
import { scopeCondition } from '../moment/scope-sql';
import { BEGUN_SESSIONS, fromOf, MACHINES, SESSIONS } from './lists';
import { fromJson } from '../db/json';

/** The machine of this name at a moment, or the last one that had it. */
export function machineByName(db: Db, name: string, at: number): { id: number; since: number; until: number } | null {
	return (
		one(db, 'SELECT id, since, until FROM machines WHERE name = ? AND since <= ? ORDER BY since DESC LIMIT 1', [
			name,
			at
		]) ?? null
	);
}

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
	const base = atMoment(db, at);
	const pools = all<{ n: number; up: number; unusable: number; price: number | null }>(
		db,
		`SELECT count(*) AS n, sum(state NOT IN ('off', 'failed')) AS up, sum(state = 'failed' OR failing) AS unusable,
		 (SELECT price_hour FROM pools po WHERE po.id = pool AND ${asOf('pools po')}) AS price
		 FROM (SELECT m.pool_id AS pool, ${STATE} AS state, ${FAILING} AS failing ${fromOf(MACHINES, m.sql)} AND ${m.sql}) GROUP BY pool`,
		{ ...base, ...m.params }
	);
	const sum = (of: (p: (typeof pools)[number]) => number) => pools.reduce((n, p) => n + of(p), 0);
	const sessions = one<{ n: number; people: number }>(
		db,
		`SELECT count(*) AS n, count(DISTINCT s.person_id) AS people ${fromOf(SESSIONS, s.sql)} AND ${s.sql}`,
		{ ...base, ...s.params }
	)!;
	// Everybody who signed in within the day, whether they are still there or not.
	const signIns = one<{ n: number; satisfied: number | null; tolerating: number | null }>(
		db,
		`SELECT count(*) AS n, sum(s.sign_in <= @target) AS satisfied, sum(s.sign_in > @target AND s.sign_in <= 4 * @target) AS tolerating
		 ${fromOf(BEGUN_SESSIONS, s.sql)} AND s.since > @from AND s.since <= @at AND ${s.sql}`,
		{ ...base, from: at - DAY, target: SIGN_IN_TARGET, ...s.params }
	)!;
	// Lost connections have no session; they count where the scope can tell.
	const lost = scope.terms.every(
		(t) => t.kind === 'facet' && (t.facet === 'site' || t.facet === 'pool' || t.facet === 'team')
	)
		? lostWithin(db, scope, at - DAY, at)
		: 0;
	return {
		people: sessions.people,
		sessions: sessions.n,
		machines: sum((p) => p.n),
		up: sum((p) => p.up),
		unusable: sum((p) => p.unusable),
		apdex: apdexOf(signIns.satisfied ?? 0, signIns.tolerating ?? 0, signIns.n + lost),
		costHour: sum((p) => p.up * (p.price ?? 0))
	};
}

/** How many people within a scope have a session at each site. */
export function peopleBySite(db: Db, scope: Scope, at: number): Map<string, number> {
	const condition = scopeCondition(scope, 'session');
	return new Map(
		all<{ site: string; n: number }>(
			db,
			`SELECT m.site_id AS site, count(DISTINCT s.person_id) AS n ${fromOf(SESSIONS, 'm.', condition.sql)} AND ${condition.sql} GROUP BY 1`,
			{ ...atMoment(db, at), ...condition.params }
		).map((r) => [r.site, r.n])
	);
}

export interface PoolCounts {
	machines: number;
	up: number;
	/** Machines that people can be sent to. */
	usable: number;
	sessions: number;
	/** Different people with a session on them. */
	people: number;
}

/** Machines and sessions of each pool at a moment. */
export function poolCounts(db: Db, at: number): Map<string, PoolCounts> {
	const sessions = new Map(
		all<{ pool: string; sessions: number; people: number }>(
			db,
			`SELECT m.pool_id AS pool, count(*) AS sessions, count(DISTINCT s.person_id) AS people ${fromOf(SESSIONS, 'm.')} GROUP BY 1`,
			{ at }
		).map(({ pool, ...n }) => [pool, n])
	);
	return new Map(
		all<{ pool: string; machines: number; up: number; usable: number }>(
			db,
			`SELECT pool, count(*) AS machines, sum(state NOT IN ('off', 'failed')) AS up, sum(state IN ('ready', 'in use')) AS usable
			 FROM (SELECT m.pool_id AS pool, ${STATE} AS state ${fromOf(MACHINES)}) GROUP BY pool`,
			{ at }
		).map(({ pool, ...counts }) => [pool, { ...counts, ...(sessions.get(pool) ?? { sessions: 0, people: 0 }) }])
	);
}

/** The state of machine `m` at @at, in one seek. */
const STATE =
	'(SELECT x.state FROM machine_states x WHERE x.machine_id = m.id AND x.since <= @at ORDER BY x.since DESC LIMIT 1)';
/** Machines with a failing check of their own: a gateway that passes nothing is not the machine's fault. */
const FAILING = `m.id IN (SELECT f.machine_id FROM failing_checks f WHERE ${asOf('failing_checks f')} AND f.name <> 'gateway')`;

/** Connections lost within a span, by site and team of the person or the pool that they were for. */
function lostWithin(db: Db, scope: Scope, from: number, to: number): number {
	const parts: string[] = [];
	const params: Record<string, unknown> = { from, to };
	scope.terms.forEach((t, i) => {
		if (t.kind !== 'facet') return;
		params[`k${i}`] = JSON.stringify(t.values);
		const list = `(SELECT value FROM json_each(@k${i}))`;
		const sql =
			t.facet === 'site'
				? `${siteOf('pe.id', '@to')} IN ${list}`
				: t.facet === 'team'
					? `pe.id IN ${ofTeams(list, '@to')}`
					: `c.pool_id IN ${list}`;
		parts.push(t.not ? `NOT (${sql})` : sql);
	});
	return one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM connections c JOIN people pe ON pe.id = c.person_id WHERE c.ended > @from AND c.ended <= @to AND c.result <> 'open' AND c.result IN ('lost', 'gave up') ${parts.map((p) => `AND ${p}`).join(' ')}`,
		params
	)!.n;
}

/** One cell of the estate: what a level cell needs, and no more. */
export interface Cell {
	name: string;
	mark: 'use' | 'ready' | 'off' | 'starting' | 'trouble';
	strain: number;
}

/** The cells of a pool. */
export interface PoolCells {
	site: string;
	id: string;
	name: string;
	cells: Cell[];
}

/** Every machine under scope as a cell, by pool, in the order of sites. */
export function cellsAt(db: Db, scope: Scope, at: number): PoolCells[] {
	const condition = scopeCondition(scope, 'machine');
	// One row a pool: handing over a row for each of many thousand machines takes longer than finding them.
	return all<{ site: string; pool: string; name: string | null; cells: string }>(
		db,
		`SELECT site, pool, cells, (SELECT name FROM pools po WHERE po.id = pool AND ${asOf('pools po')}) AS name FROM (
			SELECT m.site_id AS site, m.pool_id AS pool, json_group_array(json_array(m.name, ${STATE}, ${FAILING}, ${SAMPLED_STRAIN}) ORDER BY m.name) AS cells
			${fromOf(MACHINES, condition.sql)} AND ${condition.sql} GROUP BY m.pool_id, m.site_id
		) ORDER BY (SELECT position FROM sites WHERE id = site), pool`,
		{ ...atMoment(db, at), ...condition.params }
	).map((p) => ({
		site: p.site,
		id: p.pool,
		name: p.name ?? p.pool,
		cells: (JSON.parse(p.cells) as [string, string, number, number | null][]).map(([name, state, failing, strain]) => ({
			name,
			mark: markOf(state, failing === 1),
			strain: strain ?? 0
		}))
	}));
}

function markOf(state: string, failing: boolean): Cell['mark'] {
	if (failing || state === 'failed') return 'trouble';
	if (state === 'off' || state === 'ready') return state;
	return state === 'in use' || state === 'leaving' ? 'use' : 'starting';
}

/** Samples of a machine over a span, from the finest rollup that keeps it to about 500 points. */
export function samplesOf(db: Db, machine: number, from: number, to: number): { step: number; points: SamplePoint[] } {
	const { step, rows } = samplesBetween(db, 'machine', machine, from, to);
	return { step, points: rows.map(toPoint) };
}

const toPoint = (r: Kept): SamplePoint => ({
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

/** The load of a machine by the sample that holds at a moment, or null when it was not up; what is kept of its strain beside it. */
export function loadAt(db: Db, machine: number, at: number): (Load & { strain: number; of: string }) | null {
	const sample = sampleAt(db, 'machine', machine, at);
	return sample && { ...toPoint(sample.row), of: sample.of };
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

/** What a device was called when a connection was made from it. */
const ENDPOINT_NAME = `(SELECT ef.name FROM endpoint_facts ef WHERE ef.endpoint_id = c.endpoint_id AND ef.since <= c.ended ORDER BY ef.since DESC LIMIT 1)`;

function connections(db: Db, where: string, params: unknown[]): ConnectionRow[] {
	return all<Omit<ConnectionRow, 'phases' | 'cause'> & { phases: string; cause: string }>(
		db,
		`SELECT c.id, pe.name AS person, pe.login, c.publication_id AS publication, c.gateway_id AS gateway, c.protocol, c.address, c.endpoint_id AS endpoint, ${ENDPOINT_NAME} AS endpointName, c.began, c.ended, c.result, m.name AS machine, ${siteOf('pe.id', 'c.began')} AS site, ${homeTeam('pe.id', 'c.began')} AS team, c.pool_id AS pool,
		 c.session_id AS session, c.waited, c.took, c.phases, c.cause FROM connections c JOIN people pe ON pe.id = c.person_id LEFT JOIN machines m ON m.id = c.machine_id WHERE ${where}`,
		params
	).map((c) => ({
		...c,
		phases: fromJson<Phase[]>('connections.phases', c.phases),
		cause: fromJson<Fact[]>('connections.cause', c.cause)
	}));
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
		const phases = fromJson<Phase[]>('connections.phases', row.phases);
		if (!phases.some((p) => p.name === 'shell')) continue;
		for (const p of phases) by.set(p.name, [...(by.get(p.name) ?? []), p.ms]);
	}
	return Object.fromEntries([...by].map(([name, ms]) => [name, median(ms)]));
}
