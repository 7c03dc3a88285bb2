import { giveUpFindings } from '$lib/core/diagnosis/findings';
import { gather } from '$lib/core/measures/gather';
import { median } from '$lib/core/measures/quantile';
import { DAY } from '$lib/core/time/units';
import { asOf } from '../db/intervals';
import { all, type Db } from '../db';
import { siteOf } from '../moment/people-sql';
import type { Comparison } from '../manifest';
import { poolsAt } from '../pools';
import { publicationsAt } from '../publications';

export const giveUpComparisons: readonly Comparison[] = [
	{ kinds: ['people give up'], every: 'hour', look: ({ db }, now) => giveUpFindings(givenUp(db, now)) }
];

const lastDay = (times: readonly { person: number; at: number }[], now: number) => {
	const own = times.filter((t) => t.at > now - DAY);
	return { people: new Set(own.map((t) => t.person)).size, times: own.length };
};

/** Who gave up waiting for a personal pool within seven days, by the pool that would have served them first. */
function givenUp(db: Db, now: number): Parameters<typeof giveUpFindings>[0] {
	const pools = new Map(poolsAt(db, now).map((p) => [p.id, p]));
	// The pools that only hold personal machines: where shared ones serve as well, theirs is the shortage.
	const personal = new Map(
		publicationsAt(db, now).flatMap((p) => {
			const serving = p.pools.flatMap((id) => pools.get(id) ?? []);
			return serving.length > 0 && serving.every((s) => s.assignment === 'personal') ? [[p.id, serving] as const] : [];
		})
	);
	const owned = new Map<string, Set<number>>();
	const machines = new Map<string, { all: number; free: number }>();
	for (const id of new Set([...personal.values()].flatMap((serving) => serving.map((s) => s.id)))) {
		const rows = all<{ owner: number | null; state: string }>(
			db,
			`SELECT pl.owner_id AS owner, s.state FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl', '@now')}
			 JOIN machine_states s ON s.machine_id = m.id AND ${asOf('machine_states s', '@now')} WHERE m.pool_id = @id AND ${asOf('machines m', '@now')}`,
			{ id, now }
		);
		owned.set(id, new Set(rows.flatMap((r) => r.owner ?? [])));
		machines.set(id, {
			all: rows.length,
			free: rows.filter((r) => r.owner === null && r.state !== 'failed').length
		});
	}
	const byPool = new Map<string, { person: number; at: number; waited: number; owns: boolean }[]>();
	for (const c of all<{ person: number; site: string; publication: string; at: number; waited: number }>(
		db,
		`SELECT c.person_id AS person, ${siteOf('c.person_id', 'c.ended')} AS site, c.publication_id AS publication, c.ended AS at, c.waited FROM connections c
		 WHERE c.result <> 'open' AND c.result = 'gave up' AND c.ended > ? AND c.ended <= ?`,
		[now - 7 * DAY, now]
	)) {
		const serving = personal.get(c.publication);
		if (!serving) continue;
		const own = serving.find((s) => owned.get(s.id)!.has(c.person));
		const pool = own ?? serving.find((s) => s.site === c.site) ?? serving[0]!;
		gather(byPool, pool.id, { ...c, owns: own !== undefined });
	}
	return [...byPool].map(([id, times]) => ({
		id,
		name: pools.get(id)!.name,
		site: pools.get(id)!.site,
		people: new Set(times.map((t) => t.person)).size,
		times: times.length,
		today: lastDay(times, now),
		lately: times.filter((t) => t.owns && t.at > now - DAY).length,
		without: new Set(times.flatMap((t) => (t.owns ? [] : t.person))).size,
		free: machines.get(id)!.free,
		machines: machines.get(id)!.all,
		waited: median(times.map((t) => t.waited)),
		last: times.reduce((last, t) => Math.max(last, t.at), 0)
	}));
}
