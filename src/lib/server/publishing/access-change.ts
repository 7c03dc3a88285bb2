import type { AccessChange } from '$lib/core/access/compare';
import { noEffects, type Effects } from '$lib/core/plans/effects';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';

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
