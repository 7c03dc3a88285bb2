import type { Subject } from '$lib/core/settings/compare';
import {
	underEndpoint,
	underMachine,
	underSession,
	WIDE,
	type MachineFacts,
	type PersonFacts,
	type Reach
} from '$lib/core/settings/reach';
import { DAY, HOUR } from '$lib/core/time/units';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { saidBy, teamsAbove } from '../directory';
import type { Tree } from '$lib/core/endpoints/rules';
import { treeAt } from '../endpoints';

/** What settings count for, as it is known at a moment. */

/** Something that settings count for, and how it is called. */
export interface Known extends Subject {
	id: string;
	name: string;
	/** Of a session: whose. */
	person?: { login: string; name: string };
}

/** Whoever has signed in within so long is counted among those whom settings of sessions reach, ms. */
export const SEEN_WITHIN = 30 * DAY;

/** Where people sit and which teams they are of at a moment, by their number; those of some alone, if so asked. */
export function peopleFacts(db: Db, at: number, person?: number): Map<number, PersonFacts & { name: string }> {
	const above = teamsAbove(db, at);
	const up = (team: string): readonly string[] => above.get(team) ?? [team];
	const some = person === undefined ? '' : 'AND p.id = @person';
	const teams = new Map<number, (readonly string[])[]>();
	for (const m of all<{ person: number; team: string }>(
		db,
		`SELECT person_id AS person, team_id AS team FROM memberships p WHERE ${asOf('memberships p')} ${some.replace('p.id', 'p.person_id')} ORDER BY home DESC, team_id`,
		{ at, person }
	)) {
		const list = teams.get(m.person);
		if (list) list.push(up(m.team));
		else teams.set(m.person, [up(m.team)]);
	}
	return new Map(
		all<{ id: number; login: string; name: string; site: string | null }>(
			db,
			`SELECT p.id, p.login, p.name, f.site_id AS site FROM people p LEFT JOIN person_facts f ON f.person_id = p.id AND ${asOf('person_facts f')} WHERE 1 ${some}`,
			{ at, person }
		).map(({ id, ...p }) => [id, { ...p, teams: teams.get(id) ?? [] }])
	);
}

interface EndpointRead {
	id: number;
	name: string;
	site: string | null;
	branch: string | null;
	person: number | null;
}

const ENDPOINTS = `SELECT f.endpoint_id AS id, f.name, f.site_id AS site, sp.branch_id AS branch, f.person_id AS person
	FROM endpoint_facts f JOIN endpoint_spots sp ON sp.endpoint_id = f.endpoint_id AND ${asOf('endpoint_spots sp')} WHERE ${asOf('endpoint_facts f')}`;

const endpointKnown = (
	e: EndpointRead,
	tree: Tree,
	people: ReadonlyMap<number, PersonFacts & { name: string }>
): Known => ({
	kind: 'endpoint',
	id: String(e.id),
	name: e.name,
	under: underEndpoint({
		id: String(e.id),
		site: e.site,
		branch: e.branch === null ? [] : tree.above(e.branch).map((b) => b.id),
		person: e.person === null ? null : (people.get(e.person) ?? null)
	})
});

/** Every endpoint that is let in at a moment. */
export function knownEndpoints(db: Db, at: number, people = peopleFacts(db, at)): Known[] {
	const tree = treeAt(db, at);
	return all<EndpointRead>(db, `${ENDPOINTS} AND sp.branch_id IS NOT NULL`, { at }).map((e) =>
		endpointKnown(e, tree, people)
	);
}

export function endpointKnownAt(db: Db, id: number, at: number): Known | null {
	const e = one<EndpointRead>(db, `${ENDPOINTS} AND f.endpoint_id = @id`, { at, id });
	return e ? endpointKnown(e, treeAt(db, at), e.person === null ? new Map() : peopleFacts(db, at, e.person)) : null;
}

const MACHINES = `SELECT m.id, m.name, m.site_id AS site, m.pool_id AS pool, ms.line_id AS line, ms.version
	FROM machines m JOIN machine_spots ms ON ms.machine_id = m.id AND ${asOf('machine_spots ms')} WHERE ${asOf('machines m')}`;

/** Every machine of a moment. */
export const knownMachines = (db: Db, at: number): Known[] =>
	all<MachineFacts>(db, MACHINES, { at }).map((m) => ({
		kind: 'machine',
		id: m.name,
		name: m.name,
		under: underMachine(m)
	}));

export const machineFacts = (db: Db, name: string, at: number): MachineFacts | null =>
	one<MachineFacts>(db, `${MACHINES} AND m.name = @name`, { at, name }) ?? null;

/** A machine of a pool as it would be, whichever it is. */
export const poolFacts = (db: Db, pool: string, at: number): (MachineFacts & { poolName: string }) | null =>
	one<MachineFacts & { poolName: string }>(
		db,
		`SELECT '' AS name, name AS poolName, site_id AS site, id AS pool, line_id AS line, version FROM pools WHERE id = @pool AND ${asOf('pools')}`,
		{ at, pool }
	) ?? null;

export function personFacts(db: Db, login: string, at: number): (PersonFacts & { name: string }) | null {
	const p = one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [login]);
	return p ? (peopleFacts(db, at, p.id).get(p.id) ?? null) : null;
}

/** Somebody's session on a machine, or on whichever of a pool; `on`: how that is called. */
export const sessionKnown = (m: MachineFacts, p: PersonFacts & { name: string }, id: string, on: string): Known => ({
	kind: 'session',
	id,
	name: `${p.name} on ${on}`,
	person: { login: p.login, name: p.name },
	under: underSession(m, p)
});

/**
 * Whoever has signed in to a machine of a pool within thirty days before a moment, up to the last full hour: once for each of their pools. Who
 * comes while a plan is looked at makes it no other plan.
 */
export function knownSessions(db: Db, at: number, people = peopleFacts(db, at)): Known[] {
	const pools = new Map(
		all<MachineFacts & { poolName: string }>(
			db,
			`SELECT '' AS name, name AS poolName, site_id AS site, id AS pool, line_id AS line, version FROM pools WHERE ${asOf('pools')}`,
			{ at }
		).map((p) => [p.pool, p])
	);
	return all<{ person: number; pool: string }>(
		db,
		`SELECT DISTINCT s.person_id AS person, m.pool_id AS pool FROM sessions s JOIN machines m ON m.id = s.machine_id
		 WHERE s.since > @from AND s.since <= @at`,
		{ at: Math.floor(at / HOUR) * HOUR, from: at - SEEN_WITHIN }
	).flatMap(({ person, pool }) => {
		const m = pools.get(pool);
		const p = people.get(person);
		return m && p ? [sessionKnown(m, p, `${p.login}@${pool}`, m.poolName)] : [];
	});
}

/** All that settings count for at a moment. */
export function knownAt(db: Db, at: number): Known[] {
	const people = peopleFacts(db, at);
	return [...knownEndpoints(db, at, people), ...knownMachines(db, at), ...knownSessions(db, at, people)];
}

/** Whether there is what a reach names, at a moment. */
export function isThere(db: Db, { kind, id }: Reach, at: number): boolean {
	const asks: Partial<Record<Reach['kind'], string>> = {
		site: 'SELECT 1 FROM sites WHERE id = @id',
		line: 'SELECT 1 FROM lines WHERE id = @id',
		version: `SELECT 1 FROM versions WHERE line_id || '/' || number = @id`,
		team: 'SELECT 1 FROM teams WHERE id = @id AND gone = 0',
		branch: `SELECT 1 FROM branches WHERE id = @id AND ${asOf('branches')}`,
		pool: `SELECT 1 FROM pools WHERE id = @id AND ${asOf('pools')}`,
		endpoint: `SELECT 1 FROM endpoint_facts WHERE endpoint_id = CAST(@id AS INTEGER) AND CAST(CAST(@id AS INTEGER) AS TEXT) = @id AND ${asOf('endpoint_facts')}`,
		machine: `SELECT 1 FROM machines WHERE name = @id AND ${asOf('machines')}`,
		person: 'SELECT 1 FROM people WHERE login = @id'
	};
	return WIDE.has(kind) || one(db, asks[kind]!, { id, at }) !== undefined;
}

/** How reaches are called at a moment. */
export function reachNames(db: Db, at: number): (r: Reach) => string {
	const say = saidBy(db);
	const tree = treeAt(db, at);
	const name = (sql: string, id: string, instead: string) =>
		one<{ name: string }>(db, sql, { id, at })?.name ?? instead;
	return ({ kind, id }) => {
		switch (kind) {
			case 'everything':
				return 'everything';
			case 'endpoints':
				return 'all endpoints';
			case 'machines':
				return 'all hosted machines';
			case 'site':
				return say.site(id);
			case 'team':
				return say.team(id);
			case 'person':
				return say.person(id);
			case 'branch':
				return tree.get(id)?.name ?? id;
			case 'pool':
				return name(`SELECT name FROM pools WHERE id = @id AND ${asOf('pools')}`, id, id);
			case 'line':
				return name('SELECT name FROM lines WHERE id = @id', id, id);
			case 'endpoint':
				return name(
					`SELECT name FROM endpoint_facts WHERE endpoint_id = CAST(@id AS INTEGER) AND ${asOf('endpoint_facts')}`,
					id,
					`endpoint ${id}`
				);
			case 'version':
				return id.replace('/', ' ');
			case 'machine':
				return id;
		}
	};
}
