import type { Scope } from '$lib/core/scope/scope';
import { FACETS, narrow, type Facet, type FacetsOf, type Term } from '$lib/core/scope/scope';
import { CHECK_WORDS, type CheckName } from '$lib/core/diagnosis/checks';
import { countWords, DAY, durationWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all, type Db } from '../db';
import { type FindingRow, findingsAt } from '../diagnosis';
import { imageNeeds } from './images';
import { fromJson } from '../db/json';

/** Something that needs a person, with what would put it right. */
export interface Need {
	key: string;
	/** People it affects: what needs are ranked by. */
	people: number;
	/** What stands before the unit: the people, or how many there are of something else. */
	count: number;
	/** What is counted: people · plan waits · failed job. */
	unit: string;
	tone: 'buoy' | 'sand' | 'plum';
	title: string;
	facts: Fact[];
	card: string | null;
	href: string | null;
	/** What would put it right; `blocked` says what stands in the way of that right now. */
	plan: { kind: string; input: unknown; words: string; blocked?: string } | null;
	/** Where the figures behind it are spread out, as a path of the console. */
	breakdown?: string | null;
	since: number;
	/** What it is about, by facet: the ids by which a scope finds it. */
	about: Partial<Record<Facet, string[]>>;
}

/** Facets by which needs are found. A need that has none of a facet does not answer to it. */
const FOUND_BY: FacetsOf<Need> = Object.fromEntries(
	(['site', 'pool', 'machine', 'line', 'version', 'gateway', 'protocol', 'host', 'publication'] as const).map(
		(facet) => [facet, (need: Need) => need.about[facet] ?? []]
	)
);

/** The sign-ins on a version (`line/number`), the longest first. */
const signInsOf = (version: string): string => {
	const [line, number] = version.split('/');
	return `/watch?${new URLSearchParams({ list: 'sessions', sort: '-signin', scope: `line:${line} version:${number}` })}`;
};

/**
 * What needs a person at a moment, most people first: findings, unusable machines, failed jobs, waiting plans. Under
 * a scope, what is about something in it; `left` lists the terms that needs do not answer to.
 */
export function needsAt(db: Db, scope: Scope, at: number): { needs: Need[]; left: Term[] } {
	const { items, left } = narrow(
		scope,
		[...findingNeeds(db, at), ...failingNeeds(db, at), ...workNeeds(db, at), ...imageNeeds(db, at)],
		FOUND_BY,
		(n) => `${n.title} ${n.facts.map((f) => f.words).join(' ')}`
	);
	return { needs: items.sort((a, b) => b.people - a.people || b.since - a.since), left };
}

/** What findings about Sextant itself are about: nothing that has a card of its own. */
const OWN: ReadonlySet<string> = new Set(['sextant', 'table']);

function findingNeeds(db: Db, at: number): Need[] {
	return findingsAt(db, at).map((f) => {
		const soon =
			f.kind === 'pool runs out' ||
			f.kind === 'volume nearly full' ||
			f.kind === 'addresses running out' ||
			f.kind === 'place not in order';
		return {
			key: `finding-${f.id}`,
			people: f.people,
			...(OWN.has(f.subjectKind)
				? { count: 1, unit: 'fault in Sextant' }
				: { count: f.people, unit: `${f.people === 1 ? 'person' : 'people'}${soon ? ' soon' : ''}` }),
			tone: soon || OWN.has(f.subjectKind) ? 'sand' : 'buoy',
			title: f.title,
			facts: f.facts,
			card: OWN.has(f.subjectKind) ? `finding/${f.id}` : `${f.subjectKind}/${f.subject}`,
			href: null,
			plan: f.remedy,
			breakdown: f.kind === 'slow sign-ins' ? signInsOf(f.subject) : null,
			since: f.since,
			about: aboutFinding(db, f, at)
		};
	});
}

function failingNeeds(db: Db, at: number): Need[] {
	return all<{
		name: CheckName;
		machine: string;
		site: string;
		pool: string;
		line: string;
		version: string;
		host: string;
		since: number;
		saw: string;
		people: number;
	}>(
		db,
		`SELECT f.name, m.name AS machine, m.site_id AS site, m.pool_id AS pool, p.line_id AS line, p.version, h.name AS host, f.since, f.saw,
		 (SELECT count(*) FROM (
			SELECT s.person_id FROM sessions s WHERE s.machine_id = m.id AND +s.since <= ?1 AND s.until > ?1
			UNION SELECT c.person_id FROM connections c WHERE c.machine_id = m.id AND c.result <> 'open' AND c.result = 'lost' AND c.ended >= f.since AND c.ended <= ?1
		 )) AS people
		 FROM failing_checks f JOIN machines m ON m.id = f.machine_id JOIN machine_places p ON p.machine_id = m.id AND p.since <= ?1 AND p.until > ?1
		 JOIN hosts h ON h.id = p.host_id WHERE f.since <= ?1 AND f.until > ?1 AND f.name <> 'gateway'`,
		{ 1: at }
	).map((f) => ({
		key: `check-${f.machine}`,
		people: f.people,
		count: f.people,
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
		since: f.since,
		about: {
			site: [f.site],
			pool: [f.pool],
			machine: [f.machine],
			line: [f.line],
			version: [f.version],
			host: [f.host]
		}
	}));
}

/** Jobs that failed, plans that wait, and machines that could not be made. */
function workNeeds(db: Db, at: number): Need[] {
	const needs: Need[] = [];
	for (const j of all<{
		id: number;
		title: string;
		error: string | null;
		ended: number;
		build: number | null;
		touches: string;
		aside: number;
	}>(
		db,
		`SELECT j.id, j.title, j.error, j.ended, j.set_aside AS aside, (SELECT b.id FROM builds b WHERE b.job_id = j.id AND b.state NOT IN ('done', 'abandoned')) AS build, p.touches FROM jobs j JOIN plans p ON p.id = j.plan_id WHERE j.state = 'failed' AND j.ended > iif(j.set_aside, ?1 - ${7 * DAY}, ?1 - ${DAY}) AND j.ended <= ?1
			 AND NOT EXISTS (SELECT 1 FROM builds g WHERE g.job_id = j.id AND g.state = 'abandoned')
			 AND NOT EXISTS (SELECT 1 FROM jobs n WHERE n.title = j.title AND n.id > j.id AND n.state IN ('done', 'running'))`,
		{ 1: at }
	)) {
		needs.push({
			key: `job-${j.id}`,
			people: 0,
			count: 1,
			unit: j.aside ? 'job set aside' : 'failed job',
			tone: 'buoy',
			title: `${j.title}: ${j.aside ? 'set aside' : 'failed'}`,
			facts: [{ words: j.error ?? 'no reason was given', side: 'against', at: j.ended, source: 'job log' }],
			card: null,
			href: `/jobs/${j.id}`,
			plan: j.build === null ? null : { kind: 'image.resume', input: { build: j.build }, words: 'Plan to resume' },
			since: j.ended,
			about: aboutObjects(db, j.touches, at)
		});
	}
	for (const t of all<{ thread: string; n: number; at: number; why: string }>(
		db,
		`SELECT thread, count(*) AS n, max(at) AS at, why FROM thread_ends WHERE at > ? AND at <= ? GROUP BY thread`,
		[at - DAY, at]
	)) {
		needs.push({
			key: `thread-${t.thread}`,
			people: 0,
			count: 1,
			unit: 'fault in Sextant',
			tone: 'sand',
			title: `The ${t.thread} thread of Sextant ended ${t.n === 1 ? 'once' : countWords(t.n, 'time')} within a day, and was started anew`,
			facts: [
				{ words: t.why.split('\n')[0]!.slice(0, 300), side: 'against', at: t.at, source: 'Sextant' },
				{ words: 'jobs go on where they were; one that brings a thread down twice is set aside', source: 'Sextant' }
			],
			card: null,
			href: '/jobs',
			plan: null,
			since: t.at,
			about: {}
		});
	}
	for (const p of all<{ id: number; title: string; by: string; at: number; touches: string }>(
		db,
		`SELECT id, title, by, at, touches FROM plans WHERE state = 'draft' AND at > ? AND at <= ? ORDER BY id DESC LIMIT 10`,
		[at - DAY, at]
	)) {
		needs.push({
			key: `plan-${p.id}`,
			people: 0,
			count: 1,
			unit: 'plan waits',
			tone: 'plum',
			title: p.title,
			facts: [{ words: `drafted by ${p.by}, not committed`, at: p.at, source: 'plans' }],
			card: null,
			href: `/plans/${p.id}`,
			plan: null,
			since: p.at,
			about: aboutObjects(db, p.touches, at)
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
			count: p.n,
			unit: p.n === 1 ? 'machine' : 'machines',
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
			since: p.at,
			about: { pool: [p.pool] }
		});
	}
	return needs;
}

/** The pools that a finding is about: those on the volume or network, behind the gateway, or of the machine. */
function aboutFinding(db: Db, f: FindingRow, at: number): Need['about'] {
	const pools = (sql: string) => all<{ id: string }>(db, sql, { at, id: f.subject, site: f.site }).map((p) => p.id);
	const site = f.site === null ? [] : [f.site];
	switch (f.subjectKind) {
		case 'gateway':
			return {
				site,
				gateway: [f.subject],
				protocol: [String(f.remedy?.input.protocol)],
				pool: pools('SELECT id FROM pools WHERE site_id = @site AND since <= @at AND until > @at')
			};
		case 'network':
			return { site, pool: pools('SELECT id FROM pools WHERE network_id = @id AND since <= @at AND until > @at') };
		case 'volume':
			return {
				site,
				pool: pools(
					`SELECT DISTINCT m.pool_id AS id FROM machine_places p JOIN machines m ON m.id = p.machine_id
					 WHERE p.volume_id = @id AND p.since <= @at AND p.until > @at`
				)
			};
		case 'version': {
			const [line, version] = f.subject.split('/');
			return {
				line: [line!],
				version: [version!],
				pool: pools(
					`SELECT DISTINCT m.pool_id AS id FROM machine_places p JOIN machines m ON m.id = p.machine_id
					 WHERE p.line_id || '/' || p.version = @id AND p.since <= @at AND p.until > @at`
				)
			};
		}
		case 'machine':
			return {
				site,
				machine: [f.subject],
				pool: pools('SELECT pool_id AS id FROM machines WHERE name = @id AND since <= @at AND until > @at')
			};
		default:
			return { site, [f.subjectKind]: [f.subject] };
	}
}

/** What a plan touches, as facets: its objects, and the sites of its pools and machines. */
function aboutObjects(db: Db, touches: string, at: number): Need['about'] {
	const about: Need['about'] = {};
	for (const object of fromJson<{ objects: string[] }>('plans.touches', touches).objects) {
		const kind = object.slice(0, object.indexOf('/'));
		const id = object.slice(kind.length + 1);
		if (Object.hasOwn(FACETS, kind)) (about[kind as Facet] ??= []).push(id);
		if (kind === 'fresh') (about.machine ??= []).push(id);
		if (kind === 'version' || kind === 'build') about.line = [...(about.line ?? []), id.split('/')[0]!];
	}
	about.site = all<{ site: string }>(
		db,
		`SELECT DISTINCT site_id AS site FROM (
			SELECT site_id FROM pools WHERE id IN (SELECT value FROM json_each(@pools)) AND since <= @at AND until > @at
			UNION ALL SELECT site_id FROM machines WHERE name IN (SELECT value FROM json_each(@machines)) AND since <= @at)`,
		{ at, pools: JSON.stringify(about.pool ?? []), machines: JSON.stringify(about.machine ?? []) }
	).map((r) => r.site);
	return about;
}
