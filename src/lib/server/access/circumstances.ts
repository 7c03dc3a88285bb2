import { decideAccess, type AccessRequest, type Decision, type GrantRule } from '$lib/core/access/decide';
import type { PersonRequests } from '$lib/core/access/compare';
import { DAY } from '$lib/core/time/units';
import type { Explained } from '$lib/core/why/explained';
import { all, one, type Db } from '../db';
import { grantsAt, type GrantRow } from '../publishing/queries';

interface PersonFacts {
	id: number;
	login: string;
	name: string;
	team_id: string;
	address: string;
	managed: number;
	zone: string;
}

const PEOPLE = `SELECT p.id, p.login, p.name, p.team_id, p.address, p.managed, s.time_zone AS zone FROM people p JOIN sites s ON s.id = p.site_id`;

/** Each team with itself and all those above it. */
export function teamsAbove(db: Db): Map<string, string[]> {
	const above = new Map<string, string[]>();
	for (const n of all<{ team_id: string; above_id: string }>(db, 'SELECT * FROM team_nesting'))
		above.set(n.team_id, [...(above.get(n.team_id) ?? []), n.above_id]);
	return above;
}

/** For each team: itself, all above it and all below it, so that a grant to it is found by any of them. */
export function teamsRelated(db: Db): Map<string, string[]> {
	const above = teamsAbove(db);
	const related = new Map([...above].map(([team, list]) => [team, [...list]]));
	for (const [team, list] of above) for (const a of list) if (a !== team) related.get(a)?.push(team);
	return related;
}

/** A grant as the core decides on it. */
export const asRule = (
	g: Pick<GrantRow, 'id' | 'toKind' | 'toId' | 'toLogin' | 'toName' | 'conditions' | 'channels'>
): GrantRule => ({
	id: String(g.id),
	to: { kind: g.toKind, id: g.toKind === 'person' ? g.toLogin! : g.toId, name: g.toName },
	conditions: g.conditions,
	channels: g.channels
});

/** A request as a person would make it: from where they sit, with what they sit at, at a time. */
function requestOf(p: PersonFacts, teams: string[], at: number, address = p.address): AccessRequest {
	return { personId: p.login, teams, at, zone: p.zone, address, managedEndpoint: p.managed === 1, secondFactor: true };
}

/**
 * Everybody whom a set of grants can reach, with their last sign-ins to a publication in 14 days (20 at most), or
 * one made now by those who have none.
 */
export function requestsFor(db: Db, publication: string, now: number, reaching: GrantRule[]): PersonRequests[] {
	const above = teamsAbove(db);
	const teams = new Set(reaching.flatMap((g) => (g.to.kind === 'team' ? [g.to.id] : [])));
	const logins = new Set(reaching.flatMap((g) => (g.to.kind === 'person' ? [g.to.id] : [])));
	const past = new Map<number, { at: number; address: string }[]>();
	for (const c of all<{ person_id: number; began: number; address: string }>(
		db,
		'SELECT person_id, began, address FROM connections WHERE publication_id = ? AND ended > ? AND ended <= ? ORDER BY ended DESC',
		[publication, now - 14 * DAY, now]
	)) {
		const list = past.get(c.person_id);
		if (!list) past.set(c.person_id, [{ at: c.began, address: c.address }]);
		else if (list.length < 20) list.push({ at: c.began, address: c.address });
	}
	return all<PersonFacts>(db, PEOPLE).flatMap((p) => {
		const own = above.get(p.team_id) ?? [];
		if (!logins.has(p.login) && !own.some((t) => teams.has(t))) return [];
		const requests = past.get(p.id)?.map((r) => requestOf(p, own, r.at, r.address)) ?? [requestOf(p, own, now)];
		return [{ id: p.login, name: p.name, requests }];
	});
}

export interface AccessQuestion {
	login: string;
	publication: string;
	at: number;
	address: string | null;
	managed: boolean | null;
	secondFactor: boolean;
}

/** May this person open that publication, from there, at that time? Null when there is no such person. */
export function testAccess(db: Db, q: AccessQuestion): (Explained<Decision> & { request: AccessRequest }) | null {
	const p = one<PersonFacts>(db, `${PEOPLE} WHERE p.login = ?`, [q.login]);
	if (!p) return null;
	const request: AccessRequest = {
		...requestOf(p, teamsAbove(db).get(p.team_id) ?? [], q.at, q.address ?? p.address),
		managedEndpoint: q.managed ?? p.managed === 1,
		secondFactor: q.secondFactor
	};
	const rules = grantsAt(db, q.at)
		.filter((g) => g.publication === q.publication)
		.map(asRule);
	return { ...decideAccess(request, rules), request };
}

export interface WhoGetsWhat {
	teams: { id: string; name: string; depth: number; people: number }[];
	publications: { id: string; name: string; people: number }[];
	/** `team/publication` → people of the team (nested ones included) whom a grant reaches, and the grants. */
	cells: Record<string, { people: number; grants: number[] }>;
}

/** Teams against publications: how many people of each team have each publication, at a moment. */
export function whoGetsWhat(db: Db, at: number, publications: { id: string; name: string }[]): WhoGetsWhat {
	const teams = all<{ id: string; name: string; parent_id: string | null }>(db, 'SELECT * FROM teams ORDER BY name');
	const above = teamsAbove(db);
	const people = all<{ id: number; team_id: string }>(db, 'SELECT id, team_id FROM people');
	const grants = grantsAt(db, at);
	const cells: WhoGetsWhat['cells'] = {};
	const inTeam = new Map<string, number>();
	for (const p of people) for (const t of above.get(p.team_id) ?? []) inTeam.set(t, (inTeam.get(t) ?? 0) + 1);
	const totals: { id: string; name: string; people: number }[] = [];
	for (const pub of publications) {
		const of = grants.filter((g) => g.publication === pub.id);
		let total = 0;
		for (const p of people) {
			const own = above.get(p.team_id) ?? [];
			const by = of.filter((g) => (g.toKind === 'team' ? own.includes(g.toId) : Number(g.toId) === p.id));
			if (by.length === 0) continue;
			total++;
			for (const t of own) {
				const cell = (cells[`${t}/${pub.id}`] ??= { people: 0, grants: [] });
				cell.people++;
				for (const g of by) if (!cell.grants.includes(g.id)) cell.grants.push(g.id);
			}
		}
		totals.push({ id: pub.id, name: pub.name, people: total });
	}
	const ordered: WhoGetsWhat['teams'] = [];
	const walk = (parent: string | null, depth: number) => {
		for (const t of teams.filter((x) => x.parent_id === parent)) {
			ordered.push({ id: t.id, name: t.name, depth, people: inTeam.get(t.id) ?? 0 });
			walk(t.id, depth + 1);
		}
	};
	walk(null, 0);
	return { teams: ordered, publications: totals, cells };
}
