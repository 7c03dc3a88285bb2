import { countWords } from '$lib/core/time/units';
import { counted, type Need } from '$lib/core/why/need';
import type { Db } from '../db';
import { toCollect } from './keeping';
import { missedDevices, missedFact } from './missed';
import { endpointsAt, NOWHERE, waits } from './queries';
import { MANY } from './work-plans';

const ENDPOINTS = ['endpoint', 'endpoints'] as const;

/** What of devices needs somebody. */
export const endpointNeeds = (db: Db, at: number): Need[] => [
	...waitingNeeds(db, at),
	...collecting(db, at),
	...missedNeeds(db, at)
];

/** Devices that have called in and that nobody has let in. */
function waitingNeeds(db: Db, at: number): Need[] {
	const waiting = endpointsAt(db, at, NOWHERE).filter(waits);
	const [first] = waiting;
	if (!first) return [];
	const people = new Set(waiting.flatMap((e) => e.on ?? [])).size;
	return [
		{
			key: 'endpoints-waiting',
			...counted(people, waiting.length, ENDPOINTS),
			tone: 'sand',
			title: `${countWords(waiting.length, 'endpoint waits', 'endpoints wait')} to be let in`,
			facts: waiting
				.slice(0, 6)
				.map((e) => ({ words: `${e.name}: ${e.why}`, side: 'against' as const, source: 'endpoints' })),
			card: waiting.length === 1 ? `endpoint/${first.id}` : null,
			href: '/publish/endpoints',
			plan: null,
			since: Math.min(...waiting.map((e) => e.spotSince)),
			about: { site: [...new Set(waiting.flatMap((e) => e.site ?? []))] }
		}
	];
}

/** Devices of people who have ended, which nobody has collected. */
function collecting(db: Db, at: number): Need[] {
	const left = toCollect(db, at);
	const [first] = left;
	if (!first) return [];
	const people = new Set(left.map((d) => d.login)).size;
	return [
		{
			key: 'endpoints-to-collect',
			// Whoever has left misses nothing.
			...counted(0, left.length, ENDPOINTS),
			tone: 'sand',
			title: `${countWords(left.length, 'endpoint is', 'endpoints are')} to be collected from ${people === 1 ? 'somebody who has' : `${people} people who have`} left`,
			facts: left.slice(0, 6).map((d) => ({
				words: `${d.name}, a ${d.model}: ${d.person} has it`,
				side: 'against' as const,
				source: 'endpoints'
			})),
			card: left.length === 1 ? `endpoint/${first.id}` : null,
			href: '/publish/endpoints?list=devices',
			plan: {
				kind: 'endpoint.keep',
				input: { give: left.slice(0, MANY).map((d) => ({ endpoint: d.id, person: null })) },
				words: left.length === 1 ? 'It has been collected' : 'They have been collected'
			},
			since: Math.max(...left.map((d) => d.since)),
			about: {}
		}
	];
}

/** Devices that have not called in although their people have worked since. */
function missedNeeds(db: Db, at: number): Need[] {
	const missed = missedDevices(db, at);
	const [first] = missed;
	if (!first) return [];
	return [
		{
			key: 'endpoints-missed',
			...counted(new Set(missed.map((m) => m.login)).size, missed.length, ENDPOINTS),
			tone: 'sand',
			title: `${countWords(missed.length, 'endpoint has', 'endpoints have')} not called in for days of work: broken, or lost`,
			facts: missed.slice(0, 6).map(missedFact),
			card: missed.length === 1 ? `endpoint/${first.id}` : null,
			href: '/publish/endpoints?list=devices&sort=since&scope=state:asleep',
			plan: null,
			since: Math.max(...missed.map((m) => m.since)),
			about: {}
		}
	];
}
