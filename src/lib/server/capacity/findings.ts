import { poolFinding, type Finding } from '$lib/core/diagnosis/findings';
import { FOREVER } from '$lib/core/time/units';
import { clockWords } from '$lib/core/time/zone';
import type { Context } from '../context';
import { all } from '../db';
import type { Comparison } from '../manifest';
import { poolsAt } from '../pools';
import { demandForecast } from './demand';

export const capacityComparisons: readonly Comparison[] = [
	{ kinds: ['pool runs out'], every: 'forecast', look: poolsRunningOut }
];

function poolsRunningOut(ctx: Context, now: number): Finding[] {
	const findings: Finding[] = [];
	// Of all pools at once: pool by pool, every machine of the estate is looked at for each.
	const usableBy = new Map(
		all<{ pool: string; n: number }>(
			ctx.db,
			`SELECT m.pool_id AS pool, count(*) AS n FROM machines m JOIN machine_states s ON s.machine_id = m.id AND s.until = ${FOREVER}
			 WHERE m.until = ${FOREVER} AND s.state <> 'failed' GROUP BY m.pool_id`
		).map((c) => [c.pool, c.n])
	);
	for (const pool of poolsAt(ctx.db, now)) {
		if (pool.assignment !== 'shared') continue;
		const n = usableBy.get(pool.id) ?? 0;
		if (n === 0) continue;
		const usable = Math.min(n, pool.policy.most);
		const demand = demandForecast(ctx.db, now, 12, { pool: pool.id });
		const peak = demand.ahead.reduce((a, b) => (b.middle + b.spread > a.middle + a.spread ? b : a), {
			at: now,
			middle: 0,
			spread: 0,
			days: 0
		});
		// One or two days are no pattern yet: nobody is to be called for them.
		if (peak.days < 3) continue;
		const finding = poolFinding({
			id: pool.id,
			name: pool.name,
			site: pool.site,
			holds: usable * pool.perMachine,
			inUse: demand.now,
			demand: peak.middle,
			spread: peak.spread,
			at: peak.at,
			clock: `${clockWords(pool.zone, peak.at)}, ${pool.siteName} time`,
			usableMachines: n,
			most: pool.policy.most,
			perMachine: pool.perMachine
		});
		if (finding) findings.push(finding);
	}
	return findings;
}
