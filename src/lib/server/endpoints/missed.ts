import { countWords, DAY } from '$lib/core/time/units';
import { momentWords, wallTime } from '$lib/core/time/zone';
import type { Fact } from '$lib/core/why/explained';
import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import { factsOf, HERE } from '../moment/people-sql';

/** A device that has not called in although whoever was on it last has worked since: it is broken, lost, or lies in a drawer. */
export interface MissedDevice {
	id: number;
	name: string;
	device: string;
	login: string;
	person: string;
	/** When it was heard last, ms UTC. */
	since: number;
	/** Days, by their wall clock, on which they have worked since from something else, of the last two weeks. */
	days: number;
	zone: string;
}

/** So many days of work without it make a device missed. */
export const MISSED_AFTER = 3;
const LOOKED_BACK = 14 * DAY;

interface Row extends Omit<MissedDevice, 'days'> {
	began: number;
}

/** Devices that are missed at a moment, those longest unheard first; one of them, if so asked. */
export function missedDevices(db: Db, at: number, endpoint: number | null = null): MissedDevice[] {
	// What has been shut out, or kept or taken back by hand since, somebody knows of.
	const rows = all<Row>(
		db,
		`SELECT st.endpoint_id AS id, ef.name, ef.device, p.login, p.name AS person, st.since, coalesce(s.time_zone, 'Etc/UTC') AS zone, c.began
		 FROM endpoint_states st JOIN endpoint_facts ef ON ef.endpoint_id = st.endpoint_id AND ${asOf('endpoint_facts ef')}
		 JOIN endpoint_spots sp ON sp.endpoint_id = st.endpoint_id AND sp.branch_id IS NOT NULL AND ${asOf('endpoint_spots sp')}
		 JOIN people p ON p.id = ef.person_id JOIN ${factsOf('p.id')} AND ${HERE} LEFT JOIN sites s ON s.id = f.site_id
		 JOIN connections c ON c.person_id = p.id AND c.ended > max(st.since, @from) AND c.ended <= @at
		 WHERE st.state = 'asleep' AND st.since <= @at - ${MISSED_AFTER - 1} * ${DAY} AND ${asOf('endpoint_states st')} AND (@endpoint IS NULL OR st.endpoint_id = @endpoint)
		 AND c.session_id IS NOT NULL AND c.began > st.since AND c.endpoint_id IS NOT st.endpoint_id
		 AND NOT EXISTS (SELECT 1 FROM kept_endpoints k WHERE k.endpoint_id = st.endpoint_id AND (k.since > st.since AND k.since <= @at OR k.until > st.since AND k.until <= @at))
		 ORDER BY st.since, ef.name, st.endpoint_id`,
		{ at, from: at - LOOKED_BACK, endpoint }
	);
	const days = new Map<number, Set<number>>();
	for (const r of rows) {
		const worked = days.get(r.id) ?? new Set();
		days.set(r.id, worked.add(wallTime(r.zone, r.began).day));
	}
	const told = new Set<number>();
	return rows.flatMap(({ began: _, ...r }) => {
		const worked = days.get(r.id)!.size;
		if (worked < MISSED_AFTER || told.has(r.id)) return [];
		told.add(r.id);
		return { ...r, days: worked };
	});
}

/** Why one is missed. */
export const missedFact = (m: MissedDevice): Fact => ({
	words: `${m.name}, a ${m.device}, was heard last on ${momentWords(m.zone, m.since)}; ${m.person} has worked on ${countWords(m.days, 'day')} since, from something else`,
	side: 'against',
	source: 'endpoints'
});
