import type { FreeDevice } from '$lib/core/endpoints/keeping';
import { ON_A_WIRE, type EndpointKind } from '$lib/core/endpoints/kinds';
import { FOREVER } from '$lib/core/time/units';
import { all, type Db } from '../db';
import { asOf, putAt } from '../db/intervals';
import { SEXTANT } from '../moment/endpoint-sql';
import { factsOf } from '../moment/people-sql';

/** A device that is kept for somebody. */
export interface KeptDevice {
	id: number;
	name: string;
	serial: string;
	key: string;
	model: string;
	login: string;
	person: string;
	/** When they end, ms UTC. */
	ends: number;
	by: string;
	since: number;
}

const kept = (db: Db, at: number, where: string, params: Record<string, unknown> = {}): KeptDevice[] =>
	all(
		db,
		`SELECT k.endpoint_id AS id, ef.name, e.serial, e.key, ef.model, p.login, p.name AS person, f.ends, k.by, k.since FROM kept_endpoints k
		 JOIN endpoints e ON e.id = k.endpoint_id JOIN endpoint_facts ef ON ef.endpoint_id = e.id AND ${asOf('endpoint_facts ef')}
		 JOIN people p ON p.id = k.person_id JOIN ${factsOf('p.id')} WHERE ${asOf('kept_endpoints k')} AND ${where} ORDER BY ef.name, e.id`,
		{ at, ...params }
	);

/** For whom a device is kept at a moment; null: for nobody. */
export const keptFor = (db: Db, endpoint: number, at: number): KeptDevice | null =>
	kept(db, at, 'k.endpoint_id = @endpoint', { endpoint })[0] ?? null;

/** What is kept for somebody at a moment. */
export const keptOf = (db: Db, person: number, at: number): KeptDevice[] =>
	kept(db, at, 'k.person_id = @person', { person });

/** What people have who have ended: it is to be collected. */
export const toCollect = (db: Db, at: number): KeptDevice[] => kept(db, at, 'f.ends <= @at');

/** Whether nobody but one person was on a device last, of those who have not ended, as SQL. */
const ofNobodyElse = (endpoint: string, person: string): string =>
	`NOT EXISTS (SELECT 1 FROM person_endpoints x JOIN ${factsOf('x.person_id')} WHERE x.endpoint_id = ${endpoint} AND ${asOf('person_endpoints x')}
		AND f.ends > @at AND x.person_id IS NOT ${person})`;

/** What is somebody's at a moment: what is kept for them, and what they were on last where nobody else is on it. */
export const devicesLeftBy = (
	db: Db,
	person: number,
	at: number
): { id: number; name: string; device: EndpointKind }[] =>
	all(
		db,
		`SELECT ef.endpoint_id AS id, ef.name, ef.device FROM endpoint_facts ef WHERE ${asOf('endpoint_facts ef')} AND (
			ef.endpoint_id IN (SELECT k.endpoint_id FROM kept_endpoints k WHERE k.person_id = @person AND ${asOf('kept_endpoints k')})
			OR (ef.endpoint_id IN (SELECT o.endpoint_id FROM person_endpoints o WHERE o.person_id = @person AND ${asOf('person_endpoints o')})
				AND ${ofNobodyElse('ef.endpoint_id', '@person')}
				AND NOT EXISTS (SELECT 1 FROM kept_endpoints k WHERE k.endpoint_id = ef.endpoint_id AND ${asOf('kept_endpoints k')})))
		 ORDER BY ef.name`,
		{ person, at }
	);

/** Devices at a site that stand in a branch, that are kept for nobody, and that nobody who is here, or is to come, was on last. */
export const freeAt = (db: Db, site: string, at: number): FreeDevice[] =>
	all(
		db,
		`SELECT ef.endpoint_id AS id, ef.name, ef.model,
			coalesce((SELECT max(x.since) FROM person_endpoints x WHERE x.endpoint_id = ef.endpoint_id AND x.since <= @at), e.first_at) AS since
		 FROM endpoint_facts ef JOIN endpoints e ON e.id = ef.endpoint_id
		 JOIN endpoint_spots sp ON sp.endpoint_id = e.id AND ${asOf('endpoint_spots sp')} AND sp.branch_id IS NOT NULL
		 WHERE ${asOf('endpoint_facts ef')} AND ef.site_id = @site AND ${ofNobodyElse('ef.endpoint_id', 'NULL')}
		 AND NOT EXISTS (SELECT 1 FROM kept_endpoints k WHERE k.endpoint_id = ef.endpoint_id AND ${asOf('kept_endpoints k')})
		 ORDER BY ef.name, e.id`,
		{ site, at }
	);

/** Whether devices are known at a site at all: where none are, nobody is said to lack one. */
export const knowsDevicesAt = (db: Db, site: string, at: number): boolean =>
	all(db, `SELECT 1 FROM endpoint_facts ef WHERE ef.site_id = @site AND ${asOf('endpoint_facts ef')} LIMIT 1`, {
		site,
		at
	}).length > 0;

/** Models that people of a home team at a site sit at, the most used first. */
export const modelsOfPeers = (db: Db, team: string, site: string, at: number): string[] =>
	all<{ model: string }>(
		db,
		`SELECT ef.model FROM memberships mb JOIN person_endpoints x ON x.person_id = mb.person_id AND ${asOf('person_endpoints x')}
		 JOIN endpoint_facts ef ON ef.endpoint_id = x.endpoint_id AND ${asOf('endpoint_facts ef')} AND ef.site_id = @site
		 WHERE mb.team_id = @team AND mb.home = 1 AND ${asOf('memberships mb')} GROUP BY ef.model ORDER BY count(*) DESC, ef.model`,
		{ team, site, at }
	).map((r) => r.model);

/**
 * Those of some people, by login, who would find no device at a site: none is kept for them, and they were on none that is known there; what is
 * not on a wire they bring along.
 */
export const withoutDevice = (db: Db, logins: readonly string[], site: string, at: number): string[] =>
	all<{ login: string }>(
		db,
		`SELECT p.login FROM people p WHERE p.login IN (SELECT value FROM json_each(@logins))
		 AND NOT EXISTS (SELECT 1 FROM endpoint_facts ef WHERE ${asOf('endpoint_facts ef')} AND (ef.site_id = @site OR ef.device NOT IN (SELECT value FROM json_each(@wired)))
			AND ef.endpoint_id IN (SELECT k.endpoint_id FROM kept_endpoints k WHERE k.person_id = p.id AND ${asOf('kept_endpoints k')}
				UNION SELECT x.endpoint_id FROM person_endpoints x WHERE x.person_id = p.id AND ${asOf('person_endpoints x')})) ORDER BY p.login`,
		{ logins: JSON.stringify(logins), wired: JSON.stringify([...ON_A_WIRE]), site, at }
	).map((p) => p.login);

/** What people who have ended were on last stays theirs until it is collected, where nobody else is on it. */
export function keepLeft(db: Db, now: number): void {
	// From those who have ended on, who are few: devices that somebody is on are many, and this is asked every minute.
	const left = all<{ endpoint: number; person: number }>(
		db,
		`SELECT x.endpoint_id AS endpoint, x.person_id AS person FROM person_facts f
		 CROSS JOIN person_endpoints x ON x.person_id = f.person_id AND x.until = ${FOREVER}
		 JOIN endpoint_facts ef ON ef.endpoint_id = x.endpoint_id AND ef.until = ${FOREVER}
		 WHERE f.ends <= @at AND +f.since <= @at AND +f.until > @at
		 AND NOT EXISTS (SELECT 1 FROM person_endpoints o JOIN person_facts g ON g.person_id = o.person_id AND ${asOf('person_facts g')} AND g.ends > @at
			WHERE o.endpoint_id = x.endpoint_id AND o.until = ${FOREVER})
		 AND NOT EXISTS (SELECT 1 FROM kept_endpoints k WHERE k.endpoint_id = x.endpoint_id AND k.until = ${FOREVER})
		 GROUP BY x.endpoint_id HAVING x.since = max(x.since)`,
		{ at: now }
	);
	if (left.length === 0) return;
	db.transaction(() => {
		for (const { endpoint, person } of left)
			putAt(db, 'kept_endpoints', { endpoint_id: endpoint, person_id: person, by: SEXTANT }, now);
	}).immediate();
}
