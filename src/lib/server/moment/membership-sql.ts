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
	`(SELECT mb.person_id FROM memberships mb JOIN team_nesting tn ON tn.team_id = mb.team_id WHERE tn.above_id IN ${teams} AND ${asOf('memberships mb', at)})`;
