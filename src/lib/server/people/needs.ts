import { countWords, DAY } from '$lib/core/time/units';
import type { Need } from '$lib/core/why/need';
import { one, type Db } from '../db';
import { factsOf } from '../moment/people-sql';
import { comingGroups } from './coming';

/** So long before their day people who find something missing stand on Today, ms. */
const SOON = 7 * DAY;

/** People who begin or move within a week and would find something missing. */
export function notReadyNeeds(db: Db, at: number): Need[] {
	const missing = comingGroups(db, at, { until: at + SOON }).filter((g) => g.kind !== 'ends' && g.state === 'missing');
	const people = missing.reduce((n, g) => n + g.people.length, 0);
	if (people === 0) return [];
	return [
		{
			key: 'people-not-ready',
			people,
			count: people,
			unit: people === 1 ? 'person' : 'people',
			tone: 'sand',
			title: `${countWords(people, 'person who begins or moves', 'people who begin or move')} within a week would find something missing`,
			facts: missing.slice(0, 6).map((g) => ({
				words: `${g.day}, ${g.people.length === 1 ? g.people[0]!.name : `${g.people.length} of ${g.team}`}, ${g.site}: ${g.facts[0]!.words}`,
				side: 'against' as const,
				source: g.facts[0]!.source ?? 'people'
			})),
			card: null,
			href: '/publish/people',
			plan: null,
			since: toldSince(
				db,
				missing.flatMap((g) => g.people.map((x) => x.login)),
				at
			),
			about: {}
		}
	];
}

/** Since when the last of them has been known. */
const toldSince = (db: Db, logins: readonly string[], at: number): number =>
	one<{ since: number | null }>(
		db,
		`SELECT max(f.since) AS since FROM people p JOIN ${factsOf('p.id')} WHERE p.login IN (SELECT value FROM json_each(@logins))`,
		{ at, logins: JSON.stringify(logins) }
	)?.since ?? at;
