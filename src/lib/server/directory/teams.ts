import { all, one, type Db } from '../db';
import { TEAMS_THEN } from '../moment/people-sql';
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

interface Nesting {
	revision: number;
	rows: { team: string; above: string; since: number; until: number }[];
	/** The moments at which anything of it became another, in order, and what was worked out from each on. */
	moments: number[];
	spans: Map<number, Map<string, string[]>>;
}
const nested = new WeakMap<Db, Nesting>();

function nestingOf(db: Db): Nesting {
	const revision = directoryRevision(db);
	let known = nested.get(db);
	if (known?.revision !== revision) {
		const rows = all<Nesting['rows'][number]>(
			db,
			'SELECT team_id AS team, above_id AS above, since, until FROM team_nesting ORDER BY team_id, depth, above_id'
		);
		const moments = [...new Set(rows.flatMap((r) => [r.since, r.until]))].sort((a, b) => a - b);
		nested.set(db, (known = { revision, rows, moments, spans: new Map() }));
	}
	return known;
}

/**
 * Each team that there was at a moment, with itself and all those above it, the nearest first. Read again when the directory has changed;
 * shared: nobody may change it.
 */
export function teamsAbove(db: Db, at: number): ReadonlyMap<string, string[]> {
	const { rows, moments, spans } = nestingOf(db);
	const span = moments.findLastIndex((m) => m <= at);
	let above = spans.get(span);
	if (!above) {
		above = new Map();
		for (const r of rows)
			if (r.since <= at && at < r.until) {
				const own = above.get(r.team);
				if (own) own.push(r.above);
				else above.set(r.team, [r.above]);
			}
		spans.set(span, above);
	}
	return above;
}

/** For each team: itself, all above it and all below it, so that a grant to it is found by any of them. */
export function teamsRelated(db: Db, at: number): Map<string, string[]> {
	const above = teamsAbove(db, at);
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

/** The teams that there are at a moment, with what each belongs to then, by their names. */
export const teamsThen = (db: Db, at: number): { id: string; name: string; parent: string | null }[] =>
	all(db, `SELECT t.id, t.name, parent.above_id AS parent FROM ${TEAMS_THEN} ORDER BY t.name`, { at });
