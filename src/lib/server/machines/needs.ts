import { countWords } from '$lib/core/time/units';
import type { Need } from '$lib/core/why/need';
import { asOf } from '../db/intervals';
import { all, type Db } from '../db';

/** Machines that could not be made, by pool. */
export const unmadeNeeds = (db: Db, at: number): Need[] =>
	all<{ pool: string; name: string; n: number; at: number }>(
		db,
		`SELECT u.pool_id AS pool, coalesce(p.name, u.pool_id) AS name, count(*) AS n, min(u.at) AS at FROM unmade_machines u
		 LEFT JOIN pools p ON p.id = u.pool_id AND ${asOf('pools p', '?1')} WHERE u.at <= ?1 GROUP BY 1`,
		{ 1: at }
	).map((p) => ({
		key: `unmade-${p.pool}`,
		people: 0,
		count: p.n,
		unit: p.n === 1 ? 'machine' : 'machines',
		tone: 'sand',
		title: `${countWords(p.n, 'machine')} of ${p.name} could not be made`,
		facts: [
			{
				words: 'each is listed with its reason on the pool',
				source: 'job log',
				about: { kind: 'pool', id: p.pool }
			}
		],
		card: `pool/${p.pool}`,
		href: null,
		plan: { kind: 'pool.grow', input: { pool: p.pool, retry: true }, words: 'Plan the retry' },
		since: p.at,
		about: { pool: [p.pool] }
	}));
