import { all, one, type Db } from '../db';

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

/** Whether there is such a team. */
export const isTeam = (db: Db, id: string): boolean => one(db, 'SELECT 1 FROM teams WHERE id = ?', [id]) !== undefined;

/** All teams, by their names. */
export const teamsByName = (db: Db): { id: string; name: string }[] =>
	all(db, 'SELECT id, name FROM teams ORDER BY name');
