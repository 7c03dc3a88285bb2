import { sumOfWaits, type Wait } from '$lib/core/capacity/waits';
import { countOver } from '$lib/core/time/intervals';
import { unusedTerms } from '$lib/core/scope/scope';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { hoursWords } from '$lib/core/time/hours';
import { momentOf, wallTime } from '$lib/core/time/zone';
import type { Fact } from '$lib/core/why/explained';
import { demandBacktest, demandCurve, demandForecast } from '$lib/server/capacity';
import { hoursById, machineCount } from '$lib/server/pools';
import { all, one } from '$lib/server/db';
import { sharedLoad } from '$lib/server/load';
import { shared } from '$lib/server/moment/shared';
import { publishingAt } from '$lib/server/publishing';
import { poolCounts } from '$lib/server/watch';
import { fromJson } from '$lib/server/db/json';

const STEP = 5 * MINUTE;

export const load = sharedLoad(({ url, context, look, at }) => {
	const ctx = context;
	const { db, clock } = ctx;
	const { pools, left } = publishingAt(db, look.scope, at);
	const counts = poolCounts(db, at);
	const summary = pools.map((p) => {
		const c = counts.get(p.id) ?? { machines: 0, up: 0, usable: 0, sessions: 0 };
		return {
			id: p.id,
			name: p.name,
			siteName: p.siteName,
			machines: c.machines,
			up: c.up,
			sessions: c.sessions,
			free: c.usable * p.perMachine - c.sessions,
			headroom: p.policy.headroomIn,
			assignment: p.assignment
		};
	});
	const wanted = url.searchParams.get('pool');
	const pool = pools.find((p) => p.id === wanted) ?? pools.find((p) => p.assignment === 'shared') ?? pools[0] ?? null;
	const unused = unusedTerms(left[0]);
	if (!pool) return { pools: summary, pool: null, left: unused };

	const day = wallTime(pool.zone, look.at).day;
	const from = momentOf(pool.zone, day, 0);
	const to = momentOf(pool.zone, day + 1, 0);
	const now = clock.now();
	const end = Math.min(to, now);
	const bins = Math.max(0, Math.ceil((end - from) / STEP));
	const states = (list: string) =>
		countOver(
			all<{ since: number; until: number }>(
				db,
				`SELECT x.since, x.until FROM machine_states x JOIN machines m ON m.id = x.machine_id WHERE m.pool_id = ? AND x.until > ? AND x.since < ? AND x.state IN (${list})`,
				[pool.id, from, to]
			),
			from,
			STEP,
			bins
		).map((n) => n * pool.perMachine);
	return {
		left: unused,
		pools: summary,
		pool: { ...pool, hoursText: hoursWords(pool.policy.hours), machines: machineCount(db, pool.id, at) },
		hours: [...hoursById(db)].map(([id, h]) => ({ id, words: hoursWords(h) })),
		day: {
			from,
			to,
			step: STEP,
			demand: demandCurve(db, from, bins, { pool: pool.id }, STEP),
			capacity: states(`'ready', 'in use', 'leaving'`),
			starting: states(`'starting', 'agent up'`)
		},
		backtest: shared(ctx, `backtest ${pool.id}`, Math.floor(now / HOUR), () =>
			demandBacktest(db, now, { pool: pool.id })
		),
		ahead: demandForecast(db, now, Math.min(36, Math.max(0, (to - now) / HOUR)), { pool: pool.id }).ahead.filter(
			(a) => a.at < to
		),
		waits: sumOfWaits(
			all<Omit<Wait, 'gaveUp'> & { gaveUp: 0 | 1 }>(
				db,
				`SELECT c.began AS at, c.waited, p.name, p.login, c.result = 'gave up' AS gaveUp FROM connections c JOIN people p ON p.id = c.person_id
			 WHERE c.waited > 5000 AND c.ended >= ? AND c.began < ? AND (c.pool_id = ? OR (c.pool_id IS NULL AND c.result = 'gave up' AND EXISTS (SELECT 1 FROM publications pu, json_each(iif(json_valid(pu.pools), pu.pools, '[]')) j WHERE pu.id = c.publication_id AND j.value = ?))) ORDER BY c.began`,
				[from, to, pool.id, pool.id]
			).map((w) => ({ ...w, gaveUp: w.gaveUp === 1 })),
			from,
			STEP
		),
		actions: all<{ at: number; name: string; action: string; facts: string }>(
			db,
			'SELECT a.at, m.name, a.action, a.facts FROM power_actions a JOIN machines m ON m.id = a.machine_id WHERE m.pool_id = ? AND a.at <= ? ORDER BY a.at DESC LIMIT 12',
			[pool.id, at]
		).map((a) => ({ ...a, facts: fromJson<Fact[]>('power_actions.facts', a.facts) })),
		startTime: one<{ p90: number | null }>(
			db,
			`SELECT min(took) AS p90 FROM (SELECT x.until - x.since AS took, row_number() OVER (ORDER BY x.until - x.since) * 1.0 / count(*) OVER () AS q
			 FROM machine_states x JOIN machines m ON m.id = x.machine_id WHERE m.pool_id = ? AND x.state = 'starting' AND x.since > ? AND x.until < ?) WHERE q >= 0.9`,
			[pool.id, at - 14 * 24 * HOUR, at]
		)!.p90
	};
});
