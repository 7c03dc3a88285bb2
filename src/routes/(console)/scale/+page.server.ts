import { sumOfWaits } from '$lib/core/capacity/waits';
import { countOver } from '$lib/core/time/intervals';
import { unusedTerms } from '$lib/core/scope/scope';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { hoursWords } from '$lib/core/time/hours';
import { momentOf, wallTime } from '$lib/core/time/zone';
import {
	demandBacktest,
	demandCurve,
	demandForecast,
	powerActionsOf,
	startTimeOf,
	timesIn,
	waitsFor
} from '$lib/server/capacity';
import { hoursById, machineCount } from '$lib/server/pools';
import type { MachineState } from '$lib/server/providers';
import { sharedLoad } from '$lib/server/load';
import { shared } from '$lib/server/moment/shared';
import { publishingAt } from '$lib/server/publishing';
import { poolCounts } from '$lib/server/watch';

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
	const states = (...of: MachineState[]) =>
		countOver(timesIn(db, pool.id, of, from, to), from, STEP, bins).map((n) => n * pool.perMachine);
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
			capacity: states('ready', 'in use', 'leaving'),
			starting: states('starting', 'agent up')
		},
		backtest: shared(ctx, `backtest ${pool.id}`, Math.floor(now / HOUR), () =>
			demandBacktest(db, now, { pool: pool.id })
		),
		ahead: demandForecast(db, now, Math.min(36, Math.max(0, (to - now) / HOUR)), { pool: pool.id }).ahead.filter(
			(a) => a.at < to
		),
		waits: sumOfWaits(waitsFor(db, pool.id, from, to), from, STEP),
		actions: powerActionsOf(db, pool.id, at),
		startTime: startTimeOf(db, pool.id, at)
	};
});
