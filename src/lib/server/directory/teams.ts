import { all, one, type Db } from '../db';
import { slug } from '../plans/slug';

/** Somebody in a team, from when until when. */
export interface Membership {
	team: string;
	name: string;
	home: boolean;
	since: number;
	until: number;
}

/** Everything that somebody has been a member of up to a moment, what holds first, their home team before others, then what ended last. */
export const membershipsOf = (db: Db, person: number, at: number): Membership[] =>
	all<Omit<Membership, 'home'> & { home: number }>(
		db,
		`SELECT mb.team_id AS team, t.name, mb.home, mb.since, mb.until FROM memberships mb JOIN teams t ON t.id = mb.team_id
		 WHERE mb.person_id = ?1 AND mb.since <= ?2 ORDER BY mb.until <= ?2, CASE WHEN mb.until > ?2 THEN -mb.home END, mb.until DESC, t.name`,
		{ 1: person, 2: at }
	).map((m) => ({ ...m, home: m.home === 1 }));

/** Goes up whenever anything of the directory has changed: people, who is of which team, how teams are nested. */
export const directoryRevision = (db: Db): number =>
	one<{ number: number }>(db, 'SELECT number FROM directory_revision')!.number;

const nested = new WeakMap<Db, { revision: number; above: Map<string, string[]> }>();

/** Each team with itself and all those above it. Read again when the directory has changed; shared: nobody may change it. */
export function teamsAbove(db: Db): ReadonlyMap<string, string[]> {
	const revision = directoryRevision(db);
	const known = nested.get(db);
	if (known?.revision === revision) return known.above;
	const above = new Map<string, string[]>();
	nested.set(db, { revision, above });
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

/** Whether there is such a team. */
export const isTeam = (db: Db, id: string): boolean =>
	one(db, 'SELECT 1 FROM teams WHERE id = ? AND gone = 0', [id]) !== undefined;

/** All teams, by their names. */
export const teamsByName = (db: Db): { id: string; name: string }[] =>
	all(db, 'SELECT id, name FROM teams WHERE gone = 0 ORDER BY name');

/** An id for a team that is new, by its name: none that a team has or had. */
export function freeTeamId(db: Db, name: string, also: (id: string) => boolean = () => false): string {
	const base = slug(name) || 'team';
	let id = base;
	for (let n = 2; also(id) || one(db, 'SELECT 1 FROM teams WHERE id = ?', [id]); n++) id = `${base}-${n}`;
	return id;
}
