import { compareAccess, type AccessChange, type Way } from '$lib/core/access/compare';
import { noEffects, type Effects } from '$lib/core/plans/effects';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Db } from '../db';
import { requestsFor, type OnDay } from './circumstances';

/**
 * Whom a change of the way into a publication lets in and keeps out, tried on what they really asked for. `on`: the moment on
 * whose day grants have begun or run out.
 */
export const changeOfWay = (
	db: Db,
	publication: string,
	now: number,
	before: Way,
	after: Way,
	on: OnDay = now
): AccessChange =>
	compareAccess(requestsFor(db, publication, now, [...before.grants, ...after.grants], on), before, after);

export const effectsOf = (change: AccessChange): Effects => ({
	...noEffects(),
	people: [
		...change.loses.map((p) => ({ kind: 'person', id: p.id, name: p.name, how: 'loses access' })),
		...change.partly.map((p) => ({
			kind: 'person',
			id: p.id,
			name: p.name,
			how: `${p.refused} of their last ${p.of} sign-ins would be refused`
		})),
		...change.gains.map((p) => ({ kind: 'person', id: p.id, name: p.name, how: 'gains access' }))
	]
});

export function changeFacts(change: AccessChange): { warnings: Fact[]; reasons: Fact[] } {
	return {
		warnings: [
			...(change.loses.length
				? [
						{
							words: `${countWords(change.loses.length, 'person loses access', 'people lose access')}`,
							side: 'against' as const
						}
					]
				: []),
			...(change.partly.length
				? [
						{
							words: `${countWords(change.partly.length, 'person', 'people')} would have been refused at some of their last sign-ins`,
							side: 'against' as const
						}
					]
				: [])
		],
		reasons: [
			{
				words: `${countWords(change.gains.length, 'person gains access', 'people gain access')}`,
				source: 'grants and directory'
			},
			{
				words: 'tried on the sign-ins of the last 14 days, and on one made now by those without any',
				source: 'connections'
			},
			{ words: 'sessions that are open stay open', source: 'broker' }
		]
	};
}
