import { FACETS, type Facet } from '$lib/core/scope/scope';
import { countWords, DAY } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Need } from '$lib/core/why/need';
import { answeredWithout, asksAt } from '../plans/consent';
import { asOf } from '../db/intervals';
import { all, type Db } from '../db';
import { fromJson } from '../db/json';

/** Jobs that failed, plans that wait, and threads that ended. */
export function workNeeds(db: Db, at: number): Need[] {
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
	needs.push(...consentNeeds(db, at));
	for (const p of all<{ id: number; title: string; by: string; at: number; touches: string }>(
		db,
		`SELECT id, title, by, at, touches FROM plans WHERE state = 'draft' AND at > ? AND at <= ? AND NOT EXISTS (SELECT 1 FROM consents c WHERE c.plan_id = plans.id AND c.answer IS NULL)
		 ORDER BY id DESC LIMIT 10`,
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
	return needs;
}

/** Plans that wait for the consent of another, and those that went without of late. */
function consentNeeds(db: Db, at: number): Need[] {
	const need = (key: string, title: string, unit: string, tone: Need['tone'], plan: number, fact: Fact): Need => ({
		key,
		people: 0,
		count: 1,
		unit,
		tone,
		title,
		facts: [fact],
		card: null,
		href: `/plans/${plan}`,
		plan: null,
		since: fact.at!,
		about: {}
	});
	return [
		...asksAt(db, at).map((a) => ({
			...need(`consent-${a.id}`, a.title, 'consent asked for', 'plum', a.plan, {
				words: `${a.by} asks for the consent of another`,
				at: a.at,
				source: 'consent'
			}),
			facts: [{ words: `${a.by} asks for the consent of another`, at: a.at, source: 'consent' }, ...a.why]
		})),
		...answeredWithout(db, at - DAY, at).flatMap((a) =>
			a.answer === 'glass'
				? [
						need(`glass-${a.plan}`, a.title, 'done without consent', 'buoy', a.plan, {
							words: `${a.by} did it without consent: ${a.words}`,
							side: 'against',
							at: a.at,
							source: 'consent'
						})
					]
				: a.state === 'draft'
					? [
							need(`declined-${a.plan}`, a.title, 'consent declined', 'sand', a.plan, {
								words: `${a.answeredBy} did not consent: ${a.words}`,
								side: 'against',
								at: a.at,
								source: 'consent'
							})
						]
					: []
		)
	];
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
			SELECT site_id FROM pools WHERE id IN (SELECT value FROM json_each(@pools)) AND ${asOf('pools')}
			UNION ALL SELECT site_id FROM machines WHERE name IN (SELECT value FROM json_each(@machines)) AND since <= @at)`,
		{ at, pools: JSON.stringify(about.pool ?? []), machines: JSON.stringify(about.machine ?? []) }
	).map((r) => r.site);
	return about;
}
