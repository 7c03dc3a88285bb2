import { ATTACH_CAUSE_WORDS, type AttachCause } from '$lib/core/packages/attaching';
import type { AttachMode, AttachState } from '$lib/core/packages/attach';
import { quantile } from '$lib/core/measures/quantile';
import { DAY, FOREVER, SECOND } from '$lib/core/time/units';
import type { StartKind } from '$lib/core/packages/starting';
import type { Fact } from '$lib/core/why/explained';
import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';
import { fromJson } from '../db/json';

/** What a pool has of a package, as it was at a moment. */
export interface DeliveryRow {
	pool: string;
	poolName: string;
	site: string;
	siteName: string;
	package: string;
	version: string;
	mode: AttachMode;
	since: number;
	by: string;
}

/** The deliveries in force at a moment, by package and pool. */
export const deliveriesAt = (db: Db, at: number): DeliveryRow[] =>
	all<DeliveryRow>(
		db,
		`SELECT d.pool_id AS pool, p.name AS poolName, p.site_id AS site, s.name AS siteName, d.package, d.version, d.mode, d.since, d.by
		 FROM deliveries d JOIN pools p ON p.id = d.pool_id AND ${asOf('pools p', '?1')} JOIN sites s ON s.id = p.site_id
		 WHERE ${asOf('deliveries d', '?1')} ORDER BY d.package, p.position, p.name`,
		{ 1: at }
	);

/** How a delivery stands on the machines of its pool. */
export interface DeliveryState extends DeliveryRow {
	/** Machines of the pool whose agent answers, and how many of them have the version. */
	up: number;
	attached: number;
	attaching: number;
	/** Sessions in which it is open, all versions, and people in them. */
	open: number;
	people: number;
	/** People who have a version open that the pool no longer wants, by version. */
	old: { version: string; people: number }[];
	failing: { cause: AttachCause; machines: number }[];
}

const key = (pool: string, name: string) => `${pool}\0${name}`;

/** All deliveries with how they stand, and packages that are still open though their pool no longer has them. */
export function deliveryStatesAt(db: Db, at: number): DeliveryState[] {
	const up = new Map(
		all<{ pool: string; n: number }>(
			db,
			`SELECT m.pool_id AS pool, count(*) AS n FROM machines m JOIN machine_states st ON st.machine_id = m.id AND ${asOf('machine_states st', '?1')}
			 WHERE ${asOf('machines m', '?1')} AND st.state NOT IN ('off', 'starting', 'failed') GROUP BY 1`,
			{ 1: at }
		).map((r) => [r.pool, r.n])
	);
	const there = groups(
		all<{ pool: string; package: string; version: string; state: AttachState; n: number }>(
			db,
			`SELECT m.pool_id AS pool, a.package, a.version, a.state, count(*) AS n FROM attachments a JOIN machines m ON m.id = a.machine_id
			 WHERE a.until > ?1 AND a.since <= ?1 GROUP BY 1, 2, 3, 4`,
			{ 1: at }
		)
	);
	const runs = groups(
		all<{ pool: string; package: string; version: string; open: number; people: number }>(
			db,
			`SELECT m.pool_id AS pool, r.package, r.version, count(*) AS open, count(DISTINCT r.person_id) AS people FROM app_runs r JOIN machines m ON m.id = r.machine_id
			 WHERE r.until > ?1 AND r.since <= ?1 GROUP BY 1, 2, 3`,
			{ 1: at }
		)
	);
	const failing = groups(
		all<{ pool: string; package: string; cause: AttachCause; machines: number }>(
			db,
			`SELECT m.pool_id AS pool, f.package, f.cause, count(DISTINCT f.machine_id) AS machines FROM attach_failures f JOIN machines m ON m.id = f.machine_id
			 WHERE f.until > ?1 AND f.since <= ?1 GROUP BY 1, 2, 3`,
			{ 1: at }
		)
	);
	return deliveriesAt(db, at).map((d) => {
		const k = key(d.pool, d.package);
		const own = runs.get(k) ?? [];
		const has = (state: AttachState) =>
			(there.get(k) ?? []).filter((a) => a.version === d.version && a.state === state).reduce((n, a) => n + a.n, 0);
		return {
			...d,
			up: up.get(d.pool) ?? 0,
			attached: has('attached'),
			attaching: has('attaching'),
			open: own.reduce((n, r) => n + r.open, 0),
			people: own.reduce((n, r) => n + r.people, 0),
			old: own.filter((r) => r.version !== d.version).map((r) => ({ version: r.version, people: r.people })),
			failing: (failing.get(k) ?? []).map((f) => ({ cause: f.cause, machines: f.machines }))
		};
	});
}

function groups<T extends { pool: string; package: string }>(rows: T[]): Map<string, T[]> {
	const map = new Map<string, T[]>();
	for (const r of rows) {
		const list = map.get(key(r.pool, r.package));
		if (list) list.push(r);
		else map.set(key(r.pool, r.package), [r]);
	}
	return map;
}

/** An app that is open. */
export interface OpenApp {
	run: number;
	session: number;
	login: string;
	person: string;
	machine: string;
	pool: string;
	package: string;
	version: string;
	target: string;
	since: number;
}

/** Apps of a package that were open at a moment, longest first; of one pool, or of all. */
export const openAppsAt = (db: Db, at: number, name: string, pool: string | null = null): OpenApp[] =>
	all<OpenApp>(
		db,
		`SELECT r.id AS run, r.session_id AS session, pe.login, pe.name AS person, m.name AS machine, m.pool_id AS pool, r.package, r.version, r.target, r.since
		 FROM app_runs r JOIN people pe ON pe.id = r.person_id JOIN machines m ON m.id = r.machine_id
		 WHERE ${asOf('app_runs r', '?1')} AND r.package = ?2 AND (?3 IS NULL OR m.pool_id = ?3) ORDER BY r.since, r.id`,
		{ 1: at, 2: name, 3: pool }
	);

/** What is attached to a machine at a moment, and what it cannot have. */
export function packagesOn(
	db: Db,
	machine: number,
	at: number
): { package: string; version: string; state: string; since: number; facts: Fact[]; open: number }[] {
	const open = new Map(
		all<{ key: string; n: number }>(
			db,
			`SELECT package || ' ' || version AS key, count(*) AS n FROM app_runs WHERE machine_id = ?1 AND until > ?2 AND since <= ?2 GROUP BY 1`,
			{ 1: machine, 2: at }
		).map((r) => [r.key, r.n])
	);
	const rows = all<{ package: string; version: string; state: string; since: number; why: string }>(
		db,
		`SELECT package, version, state, since, why FROM attachments WHERE machine_id = ?1 AND until > ?2 AND since <= ?2
		 UNION ALL SELECT package, version, cause, since, why FROM attach_failures WHERE machine_id = ?1 AND until > ?2 AND since <= ?2 ORDER BY 1, 2`,
		{ 1: machine, 2: at }
	);
	return rows.map(({ why, ...r }) => ({
		...r,
		state: r.state in ATTACH_CAUSE_WORDS ? `not attached: ${ATTACH_CAUSE_WORDS[r.state as AttachCause]}` : r.state,
		facts: fromJson<Fact[]>('attachments.why', why),
		open: open.get(`${r.package} ${r.version}`) ?? 0
	}));
}

/** Machines of a pool that cannot have a version, each with the cause. */
export const failuresIn = (
	db: Db,
	pool: string,
	name: string,
	at: number
): { machine: string; version: string; cause: AttachCause; since: number; tries: number; why: Fact[] }[] =>
	all<{ machine: string; version: string; cause: AttachCause; since: number; tries: number; why: string }>(
		db,
		`SELECT m.name AS machine, f.version, f.cause, f.since, f.tries, f.why FROM attach_failures f JOIN machines m ON m.id = f.machine_id
		 WHERE m.pool_id = ?1 AND f.package = ?2 AND f.until > ?3 AND f.since <= ?3 ORDER BY f.since, m.name`,
		{ 1: pool, 2: name, 3: at }
	).map((f) => ({ ...f, why: fromJson<Fact[]>('attach_failures.why', f.why) }));

/** Whether anybody has a version, wants it, or has it open. Each use in words. */
export function usesOf(db: Db, name: string, version: string, at: number): Fact[] {
	const pools = deliveriesAt(db, at).filter((d) => d.package === name && d.version === version);
	const machines = one<{ n: number }>(
		db,
		`SELECT count(DISTINCT machine_id) AS n FROM attachments WHERE package = ? AND version = ? AND until = ${FOREVER}`,
		[name, version]
	)!.n;
	return [
		...pools.map((d): Fact => ({
			words: `${d.poolName} has it: give the pool another version, or withdraw it`,
			side: 'against',
			about: { kind: 'delivery', id: `${d.pool}/${name}`, name: `${name} on ${d.poolName}` }
		})),
		...(pools.length === 0 && machines > 0
			? [
					{
						words: `it is still on ${machines} ${machines === 1 ? 'machine' : 'machines'}: it leaves them with its last user`,
						side: 'against' as const,
						source: 'agents'
					}
				]
			: [])
	];
}

/** Ms that attaching took lately, in the middle and nine times in ten; null where nothing was measured at the site. */
export function attachTimes(db: Db, site: string, at: number): { middle: number; ninety: number } | null {
	const took = all<{ ms: number }>(
		db,
		`SELECT a.until - a.since AS ms FROM attachments a JOIN machines m ON m.id = a.machine_id
		 WHERE a.state = 'attaching' AND a.until <= ?1 AND a.since > ?2 AND m.site_id = ?3 ORDER BY a.since DESC LIMIT 400`,
		{ 1: at, 2: at - 14 * DAY, 3: site }
	)
		.map((r) => r.ms)
		.sort((a, b) => a - b);
	return took.length < 5 ? null : { middle: quantile(took, 0.5), ninety: quantile(took, 0.9) };
}

/** What attaching is taken to need where nothing was measured. */
export const ATTACH_GUESS = { middle: 2 * SECOND, ninety: 6 * SECOND };

/** Whether the package store of a site holds a version: machines there have had it. */
export const heldAt = (db: Db, site: string, name: string, version: string): boolean =>
	one(
		db,
		`SELECT 1 FROM attachments a JOIN machines m ON m.id = a.machine_id WHERE a.package = ? AND a.version = ? AND a.state = 'attached' AND m.site_id = ? LIMIT 1`,
		[name, version, site]
	) !== undefined;

/** How long starts of a version have taken, each way of starting by itself. */
export function startTimes(
	db: Db,
	name: string,
	version: string | null,
	at: number
): { start: StartKind; ms: number; n: number }[] {
	return all<{ start: StartKind; ms: number; n: number }>(
		db,
		`WITH t AS (SELECT start, took, row_number() OVER (PARTITION BY start ORDER BY took) AS k, count(*) OVER (PARTITION BY start) AS n
		 FROM app_runs WHERE package = ?1 AND (?2 IS NULL OR version = ?2) AND since <= ?3) SELECT start, took AS ms, n FROM t WHERE k = (n + 1) / 2 ORDER BY took DESC`,
		{ 1: name, 2: version, 3: at }
	);
}

/** People who could not start an app of a package on machines of a pool, by what they were told. */
export const refusedSince = (
	db: Db,
	name: string,
	pool: string,
	from: number,
	to: number
): { words: string; people: number }[] =>
	all(
		db,
		`SELECT r.words, count(DISTINCT r.person_id) AS people FROM app_refusals r JOIN machines m ON m.id = r.machine_id
		 WHERE r.package = ? AND m.pool_id = ? AND r.at > ? AND r.at <= ? GROUP BY 1 ORDER BY 2 DESC, 1`,
		[name, pool, from, to]
	);
