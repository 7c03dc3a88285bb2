import type { Scope } from '$lib/core/scope/scope';
import { countOver } from '$lib/core/time/intervals';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { demandForecast, homeZone, keptCounts, STEP, steps } from '../capacity';
import { titlesBetween } from '../changes';
import { gatherFlags, type FlagGroup } from '$lib/core/watch/flags';
import { all, type Db } from '../db';
import { gatesBetween } from '../images';
import { BEGUN_SESSIONS, fromOf, MACHINES } from '../watch';
import { atMoment } from '../samples/read';
import { scopeCondition } from '../moment/scope-sql';

/** What the tide ribbon shows: 24 hours back, 12 ahead. */
export interface Ribbon {
	from: number;
	to: number;
	now: number;
	step: number;
	zone: string;
	/** Sessions every step up to now. */
	tide: number[];
	/** Sessions that the machines up could hold, every step up to now. */
	capacity: number[];
	ahead: { at: number; middle: number; spread: number }[];
	flags: FlagGroup[];
	incidents: { from: number; to: number; words: string; finding: number }[];
}

/** The curves of a ribbon: what moves slowly. */
export type Curves = Pick<Ribbon, 'from' | 'step' | 'zone' | 'tide' | 'capacity' | 'ahead'>;

/** How far the curves may lie behind the present: less than is seen. */
export const CURVES_EVERY = 5 * MINUTE;

/** What people wanted and what there was for them in the last 24 hours, and what they are expected to want in the 12 to come. */
export function curvesOf(db: Db, scope: Scope, now: number): Curves {
	const from = Math.floor((now - 24 * HOUR) / STEP) * STEP;
	const bins = Math.floor((now - from) / STEP) + 1;
	// Which sessions belong to the scope is asked of each session as it was at its own time.
	const condition = scopeCondition(scope, 'session');
	const everything = scope.terms.length === 0;
	const ids = everything ? null : `s.id IN (SELECT s.id ${fromOf(BEGUN_SESSIONS, condition.sql)} AND ${condition.sql})`;
	const moment = atMoment(db, now);
	const of = ids === null ? null : { sql: ids, params: { ...moment, ...condition.params } };
	const key = keyOf(scope);
	const { past, ahead } = demandForecast(db, now, 12, of, key && `demand ${key}`);
	const tide = past.counts.slice((from - past.from) / STEP).slice(0, bins);

	const machines = scopeCondition(scope, 'machine');
	const inScope = everything ? '1' : `m.id IN (SELECT m.id ${fromOf(MACHINES, machines.sql)} AND ${machines.sql})`;
	const holds = new Map(
		all<{ id: string; holds: number }>(db, 'SELECT id, per_machine AS holds FROM pools ORDER BY since').map((p) => [
			p.id,
			p.holds
		])
	);
	const capacity = keptCounts(db, key && `capacity ${key}`, from, bins, now, (start, n) =>
		countOver(
			all<{ since: number; until: number; weight: number; pool: string }>(
				db,
				`SELECT ${steps('x')}, m.pool_id AS pool FROM main.machine_states x INDEXED BY machine_states_ended CROSS JOIN machines m ON m.id = x.machine_id
				 WHERE x.until > @from AND +x.since < @to AND x.state IN ('ready', 'in use') AND ${inScope} GROUP BY 1, 2, 4`,
				{ ...moment, ...machines.params, from: start, to: start + n * STEP, step: STEP, bins: n }
			).map((x) => ({ ...x, weight: x.weight * (holds.get(x.pool) ?? 1) })),
			start,
			STEP,
			n
		)
	);

	return { from, step: STEP, zone: homeZone(db), tide, capacity, ahead };
}

/** Flags closer than this, ms, would lie upon one another on a screen. */
const CLOSE = 20 * MINUTE;

/** The ribbon of a scope, around the present, over its curves. */
export function ribbonOf(db: Db, curves: Curves, now: number): Ribbon {
	const { from } = curves;
	const to = now + 12 * HOUR;
	return {
		...curves,
		to,
		now,
		flags: gatherFlags(
			[
				...titlesBetween(db, from, now + 1).map((c) => ({
					at: c.at,
					words: c.title,
					failed: c.failed,
					ahead: false,
					job: c.job
				})),
				...gatesBetween(db, from, now + 1).map((g) => ({ ...g, ahead: false })),
				...all<{ id: number; not_before: number; title: string }>(
					db,
					`SELECT id, not_before, title FROM jobs WHERE state = 'waiting' AND not_before < ?`,
					[to]
				).map((j) => ({ at: j.not_before, words: j.title, failed: false, ahead: true, job: j.id }))
			],
			CLOSE
		),
		incidents: all<{ id: number; since: number; until: number; title: string }>(
			db,
			`SELECT id, since, until, title FROM findings WHERE until > ? AND since < ? AND kind IN ('gateway port', 'gateway relay', 'runaway machine', 'addresses running out') ORDER BY since`,
			[from, now]
		).map((f) => ({
			from: Math.max(from, f.since),
			to: f.until === FOREVER ? now : f.until,
			words: f.title,
			finding: f.id
		}))
	};
}

/** Names a scope for the counts that are kept, or null when what it held in the past depends on the present. */
const keyOf = (scope: Scope): string | null =>
	scope.terms.some((t) => t.kind === 'measure' || (t.kind === 'facet' && t.facet === 'state'))
		? null
		: JSON.stringify(scope.terms);
