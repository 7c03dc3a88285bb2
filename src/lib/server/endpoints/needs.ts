import { countWords } from '$lib/core/time/units';
import type { Need } from '$lib/core/why/need';
import type { Db } from '../db';
import { endpointsAt, NOWHERE, waits } from './queries';

/** Devices that have called in and that nobody has let in. */
export function waitingNeeds(db: Db, at: number): Need[] {
	const waiting = endpointsAt(db, at, NOWHERE).filter(waits);
	const [first] = waiting;
	if (!first) return [];
	const people = new Set(waiting.flatMap((e) => e.on ?? [])).size;
	return [
		{
			key: 'endpoints-waiting',
			people,
			count: waiting.length,
			unit: waiting.length === 1 ? 'endpoint' : 'endpoints',
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
