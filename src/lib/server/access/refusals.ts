import { all, type Db } from '../db';

/** How many sign-ins were refused within a span of time, by publication. */
export const refusalsBetween = (db: Db, from: number, to: number): Map<string, number> =>
	new Map(
		all<{ p: string; n: number }>(
			db,
			`SELECT publication_id AS p, count(*) AS n FROM connections WHERE result <> 'open' AND result = 'refused' AND ended > ? AND ended <= ? GROUP BY 1`,
			[from, to]
		).map((r) => [r.p, r.n])
	);
