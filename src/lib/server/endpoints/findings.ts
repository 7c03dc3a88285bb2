import { awayFindings } from '$lib/core/endpoints/announced';
import type { Comparison } from '../manifest';
import { announcedBySite } from './announced';

export const endpointComparisons: readonly Comparison[] = [
	{
		kinds: ['endpoints stay away'],
		every: 'sweep',
		look: ({ db }, now) => awayFindings(announcedBySite(db, now).map((s) => ({ ...s, site: s.id, devices: s.away })))
	}
];
