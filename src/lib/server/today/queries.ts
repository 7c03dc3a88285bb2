import type { Scope } from '$lib/core/scope/scope';
import { facetValues } from '$lib/core/scope/scope';
import { CHECK_WORDS, type CheckName } from '$lib/core/diagnosis/checks';
import { countWords, DAY, durationWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all, type Db } from '../db';
import { peopleAffected, type CountedFinding } from '../diagnosis/affected';

/** Something that needs a person, with what would put it right. */
export interface Need {
	key: string;
	people: number;
	/** Under the count: people · plan · job. */
	unit: string;
	tone: 'buoy' | 'sand' | 'plum';
	title: string;
	facts: Fact[];
	card: string | null;
	href: string | null;
	plan: { kind: string; input: unknown; words: string } | null;
	/** Where the figures behind it are spread out, as a path of the console. */
	breakdown?: string | null;
	since: number;
}

/** The sign-ins on a version (`line/number`), the longest first. */
const signInsOf = (version: string): string => {
	const [line, number] = version.split('/');
	return `/watch?${new URLSearchParams({ list: 'sessions', sort: '-signin', scope: `line:${line} version:${number}` })}`;
};

/** What needs a person at a moment, most people first: findings, unusable machines, failed jobs, waiting plans. */
export function needsAt(db: Db, scope: Scope, at: number): Need[] {
	const sites = facetValues(scope, 'site');
	const inSite = (site: string | null) => !sites || site === null || sites.includes(site);
	const needs: Need[] = [];

	for (const f of all<{
		id: number;
		kind: CountedFinding['kind'];
		subject_kind: string;
		subject_id: string;
		site_id: string | null;
		title: string;
		people: number;
		facts: string;
		remedy: string | null;
		since: number;
	}>(db, 'SELECT * FROM findings WHERE since <= ? AND until > ?', [at, at])) {
		if (!inSite(f.site_id)) continue;
		const facts = JSON.parse(f.facts) as Fact[];
		const plan = f.remedy ? (JSON.parse(f.remedy) as NonNullable<Need['plan']>) : null;
		const people = peopleAffected(
			db,
			{
				kind: f.kind,
				subject: f.subject_id,
				people: f.people,
				remedy: plan as CountedFinding['remedy'],
				since: f.since
			},
			at
		);
		const soon = f.kind === 'pool runs out' || f.kind === 'volume nearly full' || f.kind === 'addresses running out';
		needs.push({
			key: `finding-${f.id}`,
			people,
			unit: soon ? 'people soon' : people === 1 ? 'person' : 'people',
			tone: soon ? 'sand' : 'buoy',
			title: f.title,
			facts,
			card: `${f.subject_kind}/${f.subject_id}`,
			href: null,
			plan,
			breakdown: f.kind === 'slow sign-ins' ? signInsOf(f.subject_id) : null,
			since: f.since
		});
	}

	const failing = all<{ name: CheckName; machine: string; site: string; since: number; saw: string; people: number }>(
		db,
		`SELECT f.name, m.name AS machine, m.site_id AS site, f.since, f.saw,
		 (SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.since <= ?1 AND s.until > ?1)
		 + (SELECT count(DISTINCT person_id) FROM connections c WHERE c.machine_id = m.id AND c.result = 'lost' AND c.ended >= f.since AND c.ended <= ?1) AS people
		 FROM failing_checks f JOIN machines m ON m.id = f.machine_id WHERE f.since <= ?1 AND f.until > ?1 AND f.name <> 'gateway'`,
		{ 1: at }
	);
	for (const f of failing) {
		if (!inSite(f.site)) continue;
		needs.push({
			key: `check-${f.machine}`,
			people: f.people,
			unit: f.people === 1 ? 'person' : 'people',
			tone: 'buoy',
			title: `${f.machine} is unusable: ${CHECK_WORDS[f.name].fails}`,
			facts: [
				{
					words: `${f.saw}, for ${durationWords(at - f.since)}`,
					side: 'against',
					at: f.since,
					source: 'check',
					about: { kind: 'machine', id: f.machine }
				}
			],
			card: `machine/${f.machine}`,
			href: null,
			plan: { kind: 'runbook.run', input: { machine: f.machine, check: f.name }, words: 'Plan the repair' },
			since: f.since
		});
	}

	if (!sites) {
		for (const j of all<{ id: number; title: string; error: string | null; ended: number; build: number | null }>(
			db,
			`SELECT j.id, j.title, j.error, j.ended, (SELECT b.id FROM builds b WHERE b.job_id = j.id AND b.state <> 'done') AS build FROM jobs j WHERE j.state = 'failed' AND j.ended > ? AND j.ended <= ?
			 AND NOT EXISTS (SELECT 1 FROM jobs n WHERE n.title = j.title AND n.id > j.id AND n.state IN ('done', 'running'))`,
			[at - DAY, at]
		)) {
			needs.push({
				key: `job-${j.id}`,
				people: 0,
				unit: 'failed job',
				tone: 'buoy',
				title: `${j.title}: failed`,
				facts: [{ words: j.error ?? 'no reason was given', side: 'against', at: j.ended, source: 'job log' }],
				card: null,
				href: `/jobs/${j.id}`,
				plan: j.build === null ? null : { kind: 'image.resume', input: { build: j.build }, words: 'Plan to resume' },
				since: j.ended
			});
		}
		for (const p of all<{ id: number; title: string; by: string; at: number }>(
			db,
			`SELECT id, title, by, at FROM plans WHERE state = 'draft' AND at > ? AND at <= ? ORDER BY id DESC LIMIT 10`,
			[at - DAY, at]
		)) {
			needs.push({
				key: `plan-${p.id}`,
				people: 0,
				unit: 'plan waits',
				tone: 'plum',
				title: p.title,
				facts: [{ words: `drafted by ${p.by}, not committed`, at: p.at, source: 'plans' }],
				card: null,
				href: `/plans/${p.id}`,
				plan: null,
				since: p.at
			});
		}
		for (const p of all<{ pool: string; n: number; at: number }>(
			db,
			'SELECT pool_id AS pool, count(*) AS n, min(at) AS at FROM unmade_machines WHERE at <= ? GROUP BY 1',
			[at]
		)) {
			needs.push({
				key: `unmade-${p.pool}`,
				people: 0,
				unit: 'machines',
				tone: 'sand',
				title: `${countWords(p.n, 'machine')} of ${p.pool} could not be made`,
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
				since: p.at
			});
		}
	}
	return needs.sort((a, b) => b.people - a.people || b.since - a.since);
}
