import { FOREVER } from '$lib/core/time/units';
import { all, one, type Db } from '../db';

/** What somebody has open, and how long opening takes: what their own page says beside the shelf. */

/** Sessions that a person has open, with the publication that each was opened by. */
export const sessionsOf = (
	db: Db,
	person: number
): { id: number; publication: string; machine: string; state: string; since: number }[] =>
	all(
		db,
		`SELECT s.id, s.publication_id AS publication, m.name AS machine, ss.state, s.since FROM sessions s JOIN machines m ON m.id = s.machine_id JOIN session_states ss ON ss.session_id = s.id AND ss.until = ${FOREVER} WHERE s.person_id = ? AND s.until = ${FOREVER}`,
		[person]
	);

/** Apps that a person has open. */
export const appsOf = (
	db: Db,
	person: number
): { session: number; package: string; target: string; machine: string }[] =>
	all(
		db,
		`SELECT r.session_id AS session, r.package, r.target, m.name AS machine FROM app_runs r JOIN machines m ON m.id = r.machine_id WHERE r.person_id = ? AND r.until = ${FOREVER}`,
		[person]
	);

/** How many personal machines a person keeps. */
export const machinesKeptBy = (db: Db, person: number): number =>
	one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM machine_spots pl JOIN machines m ON m.id = pl.machine_id AND m.until = ${FOREVER} WHERE pl.owner_id = ? AND pl.until = ${FOREVER}`,
		[person]
	)!.n;

/** Ms that opening a publication takes, on the average of everybody's last ones. */
export const usualOpening = (db: Db, now: number): Map<string, number> =>
	new Map(
		all<{ p: string; ms: number }>(
			db,
			`SELECT publication_id AS p, avg(took) AS ms FROM (SELECT publication_id, took FROM connections WHERE result = 'open' AND ended <= ? ORDER BY ended DESC LIMIT 600) GROUP BY 1`,
			[now]
		).map((r) => [r.p, r.ms])
	);
