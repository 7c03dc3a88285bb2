import type { Wait } from '$lib/core/capacity/waits';
import { DAY } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all, one, type Db } from '../db';
import { fromJson } from '../db/json';
import type { MachineState } from '../providers';

/** What a pool did within a span of time, ms UTC. */

/** When machines of a pool were in one of some states: from, to. */
export const timesIn = (
	db: Db,
	pool: string,
	states: readonly MachineState[],
	from: number,
	to: number
): { since: number; until: number }[] =>
	all(
		db,
		`SELECT x.since, x.until FROM machine_states x JOIN machines m ON m.id = x.machine_id WHERE m.pool_id = ? AND x.until > ? AND x.since < ?
		 AND x.state IN (SELECT value FROM json_each(?))`,
		[pool, from, to, JSON.stringify(states)]
	);

/** Waits of more than five seconds for a pool, or for a publication of it by people who gave up. */
export const waitsFor = (db: Db, pool: string, from: number, to: number): Wait[] =>
	all<Omit<Wait, 'gaveUp'> & { gaveUp: 0 | 1 }>(
		db,
		`SELECT c.began AS at, c.waited, p.name, p.login, c.result = 'gave up' AS gaveUp FROM connections c JOIN people p ON p.id = c.person_id
		 WHERE c.waited > 5000 AND c.ended >= ? AND c.began < ? AND (c.pool_id = ? OR (c.pool_id IS NULL AND c.result = 'gave up' AND EXISTS (SELECT 1 FROM publications pu, json_each(iif(json_valid(pu.pools), pu.pools, '[]')) j WHERE pu.id = c.publication_id AND j.value = ?))) ORDER BY c.began`,
		[from, to, pool, pool]
	).map((w) => ({ ...w, gaveUp: w.gaveUp === 1 }));

/** What the policy of a pool did last, newest first, with its facts. */
export const powerActionsOf = (
	db: Db,
	pool: string,
	at: number
): { at: number; name: string; action: string; facts: Fact[] }[] =>
	all<{ at: number; name: string; action: string; facts: string }>(
		db,
		'SELECT a.at, m.name, a.action, a.facts FROM power_actions a JOIN machines m ON m.id = a.machine_id WHERE m.pool_id = ? AND a.at <= ? ORDER BY a.at DESC LIMIT 12',
		[pool, at]
	).map((a) => ({ ...a, facts: fromJson<Fact[]>('power_actions.facts', a.facts) }));

/** Ms that nine in ten machines of a pool stayed under while starting, in the last fortnight; null where none started. */
export const startTimeOf = (db: Db, pool: string, at: number): number | null =>
	one<{ p90: number | null }>(
		db,
		`SELECT min(took) AS p90 FROM (SELECT x.until - x.since AS took, row_number() OVER (ORDER BY x.until - x.since) * 1.0 / count(*) OVER () AS q
		 FROM machine_states x JOIN machines m ON m.id = x.machine_id WHERE m.pool_id = ? AND x.state = 'starting' AND x.since > ? AND x.until < ?) WHERE q >= 0.9`,
		[pool, at - 14 * DAY, at]
	)!.p90;
