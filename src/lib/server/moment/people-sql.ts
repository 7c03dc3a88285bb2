import { asOf } from '../db/intervals';

/**
 * The home team of somebody at a moment, as SQL.
 * @param person SQL for their number
 */
export const homeTeam = (person: string, at = '@at'): string =>
	`(SELECT mb.team_id FROM memberships mb WHERE mb.person_id = ${person} AND mb.home = 1 AND ${asOf('memberships mb', at)})`;

/**
 * The numbers of everybody who is of some teams or of one below them at a moment, by any of their memberships, as SQL.
 * @param teams SQL for a list of teams
 */
export const ofTeams = (teams: string, at = '@at'): string =>
	`(SELECT mb.person_id FROM memberships mb JOIN team_nesting tn ON tn.team_id = mb.team_id WHERE tn.above_id IN ${teams} AND ${asOf('memberships mb', at)} AND ${asOf('team_nesting tn', at)})`;

/** The teams `t` that there are at a moment, with what each belongs to then as `parent.above_id`, as SQL to be joined. */
export const TEAMS_THEN = `teams t JOIN team_nesting own ON own.team_id = t.id AND own.above_id = t.id AND ${asOf('team_nesting own')} LEFT JOIN team_nesting parent ON parent.team_id = t.id AND parent.depth = 1 AND ${asOf('team_nesting parent')}`;

/**
 * What was known of somebody at a moment, as `f`, to be joined.
 * @param person SQL for their number
 */
export const factsOf = (person: string, at = '@at'): string =>
	`person_facts f ON f.person_id = ${person} AND ${asOf('person_facts f', at)}`;

/** Whether somebody has begun and has not ended at a moment, by the facts `f`, as SQL. Nearly everybody has: no index finds them. */
export const HERE = '+f.begins <= @at AND +f.ends > @at';

/** The facts `f` of everybody who is there at a moment, found by none of their moments: nearly all of them are. */
export const FACTS_HERE = `+f.since <= @at AND +f.until > @at AND ${HERE}`;

/** The site of somebody at a moment, as SQL. */
export const siteOf = (person: string, at = '@at'): string =>
	`(SELECT f.site_id FROM ${factsOf(person, at).replace(' ON ', ' WHERE ')})`;
