import { countWords, durationWords, FOREVER, HOUR } from '$lib/core/time/units';
import { TRIES } from '$lib/core/images/follow';
import { asOf } from '../db/intervals';
import { all, type Db } from '../db';
import { openingsAt } from './queries';
import type { Need } from '$lib/core/why/need';

/** A version that has been open for longer than a working day has probably been forgotten. */
const FORGOTTEN = 10 * HOUR;

/** What the Build stage waits for: forgotten work by hand, versions that ask for release, and moves that failed. */
export function imageNeeds(db: Db, at: number): Need[] {
	return [...forgotten(db, at), ...askingForRelease(db, at), ...failedMoves(db, at)];
}

const forgotten = (db: Db, at: number): Need[] =>
	openingsAt(db, at)
		.filter((o) => at - o.since > FORGOTTEN)
		.map((o) => ({
			key: `opening-${o.id}`,
			people: 0,
			count: 1,
			unit: 'open version',
			tone: 'sand',
			title: `${o.line} ${o.number} has been open for ${durationWords(at - o.since)}`,
			facts: [
				{
					words: `${o.by} opened it on ${o.machine}; while it is open no machine is made from it`,
					side: 'against',
					at: o.since,
					source: 'openings'
				}
			],
			card: `version/${o.line}/${o.number}`,
			href: `/build/console?line=${o.line}`,
			plan: { kind: 'image.throw-away', input: { line: o.line }, words: 'Plan to throw it away' },
			since: o.since,
			about: { line: [o.line], version: [o.number] }
		}));

const askingForRelease = (db: Db, at: number): Need[] =>
	all<{ line: string; number: string; at: number; passed: number; job: number }>(
		db,
		`SELECT t.line_id AS line, t.number, t.at, t.passed, t.job_id AS job FROM trials t
		 JOIN versions v ON v.line_id = t.line_id AND v.number = t.number AND v.gone_at > ?1
		 JOIN version_holds h ON h.line_id = t.line_id AND h.number = t.number AND ${asOf('version_holds h', '?1')}
		 WHERE t.at <= ?1 AND NOT EXISTS (SELECT 1 FROM trials n WHERE n.line_id = t.line_id AND n.number = t.number AND n.at > t.at AND n.at <= ?1)`,
		{ 1: at }
	).map((t) => ({
		key: `trial-${t.line}-${t.number}`,
		people: 0,
		count: 1,
		unit: t.passed ? 'asks for release' : 'trial failed',
		tone: t.passed ? 'plum' : 'buoy',
		title: t.passed ? `${t.line} ${t.number} has passed its trial` : `${t.line} ${t.number} has failed its trial`,
		facts: [
			{
				words: t.passed ? 'it is held until somebody releases it' : 'it stays held; its card says what the trial saw',
				side: t.passed ? 'for' : 'against',
				at: t.at,
				source: 'trial',
				about: { kind: 'job', id: String(t.job) }
			}
		],
		card: `version/${t.line}/${t.number}`,
		href: null,
		plan: t.passed
			? { kind: 'image.hold', input: { line: t.line, number: t.number, held: false }, words: 'Plan the release' }
			: null,
		since: t.at,
		about: { line: [t.line], version: [t.number] }
	}));

/** Machines that failed to take their version so often that they are left alone, by version. */
const failedMoves = (db: Db, at: number): Need[] =>
	all<{ line: string; version: string; n: number; machines: string; since: number; error: string }>(
		db,
		`SELECT line, version, count(*) AS n, group_concat(name, ', ') AS machines, min(since) AS since, max(error) AS error FROM (
			SELECT mv.line_id AS line, mv.to_version AS version, m.name, min(mv.ended) AS since, max(mv.error) AS error FROM moves mv
			JOIN machines m ON m.id = mv.machine_id AND m.until = ${FOREVER}
			JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} AND pl.version <> mv.to_version
			WHERE mv.error IS NOT NULL AND mv.forgiven = 0 AND mv.ended <= ? GROUP BY 1, 2, 3 HAVING count(*) >= ${TRIES}
		 ) GROUP BY 1, 2`,
		[at]
	).map((r) => ({
		key: `moves-${r.line}-${r.version}`,
		people: 0,
		count: r.n,
		unit: r.n === 1 ? 'machine' : 'machines',
		tone: 'sand',
		title: `${countWords(r.n, 'machine')} failed to take ${r.line} ${r.version} twice`,
		facts: [{ words: `${r.machines}: ${r.error}`, side: 'against', at: r.since, source: 'moves' }],
		card: `version/${r.line}/${r.version}`,
		href: null,
		plan: { kind: 'image.try-again', input: { line: r.line, number: r.version }, words: 'Plan to try again' },
		since: r.since,
		about: { line: [r.line], version: [r.version] }
	}));
