import { countWords, DAY } from '$lib/core/time/units';
import type { Need } from '$lib/core/why/need';
import { one, type Db } from '../db';
import { factsOf } from '../moment/people-sql';
import { saidBy } from '../directory';
import { comingGroups } from './coming';
import { estateAt, leftBehind, leftFacts, openAccounts, refusedHandovers } from './handovers';

/** So long before their day people who find something missing stand on Today, ms. */
const SOON = 7 * DAY;

/** What of people who come and go needs somebody. */
export const peopleNeeds = (db: Db, at: number): Need[] => [
	...notReady(db, at),
	...leftNeeds(db, at),
	...refused(db, at),
	...accounts(db, at)
];

/** People who begin or move within a week and would find something missing. */
function notReady(db: Db, at: number): Need[] {
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

/** People who have ended without anybody having said what becomes of what they leave. */
function leftNeeds(db: Db, at: number): Need[] {
	const left = leftBehind(db, at);
	const [first] = left;
	if (!first) return [];
	return [
		{
			key: 'people-left-behind',
			people: left.length,
			count: left.length,
			unit: left.length === 1 ? 'person' : 'people',
			tone: 'sand',
			title: `${countWords(left.length, 'person who has ended leaves', 'people who have ended leave')} something that nobody has been given`,
			facts: left.slice(0, 6).map((p) => {
				const [fact] = leftFacts(db, p.login, at);
				return {
					words: `${p.name}: ${fact?.words ?? 'something is theirs'}`,
					side: 'against' as const,
					source: fact?.source ?? 'people'
				};
			}),
			card: left.length === 1 ? `person/${first.login}` : null,
			href: `/publish/people?make=leave&edit=${encodeURIComponent(first.login)}`,
			plan: null,
			since: Math.max(...left.map((p) => p.ends)),
			about: {}
		}
	];
}

/** Handovers that were due and that something keeps from being carried out. */
function refused(db: Db, at: number): Need[] {
	const say = saidBy(db);
	return refusedHandovers(db, at).map((h) => ({
		key: `handover-${h.login}`,
		people: 1,
		count: 1,
		unit: 'person',
		tone: 'buoy' as const,
		title: `What ${say.person(h.login)} leaves cannot be handed over`,
		facts: [{ words: h.words, side: 'against' as const, source: 'people' }],
		card: `person/${h.login}`,
		href: `/publish/people?make=leave&edit=${encodeURIComponent(h.login)}`,
		plan: null,
		since: h.at,
		about: {}
	}));
}

/** People who have ended and may still sign in to the console. */
const accounts = (db: Db, at: number): Need[] =>
	openAccounts(db, at).map((o) => ({
		key: `account-${o.login}`,
		people: 1,
		count: 1,
		unit: 'person',
		tone: 'buoy' as const,
		title: `${o.name} has left, and may still sign in to the console`,
		facts: [
			{ words: `their role there is ${o.role}`, side: 'against' as const, source: 'roles' },
			...estateAt(db, at)
				.tokens.filter((t) => t.operator === o.operator)
				.slice(0, 6)
				.map((t) => ({
					words: `they have made the token ${t.name}, and it works`,
					side: 'against' as const,
					source: 'roles'
				}))
		],
		card: `person/${o.login}`,
		href: '/settings',
		plan: { kind: 'operator.disable', input: { login: o.login, disabled: true }, words: 'Shut the account' },
		since: o.ends,
		about: {}
	}));
