import type { Manifest } from '../manifest';
import { sweepPlaces } from './checks';
import { siteComparisons } from './findings';

export const manifest: Manifest = {
	name: 'network',
	comparisons: siteComparisons,
	chores: (ctx) => [{ name: 'checks of sites', every: 'sweep', run: (now) => sweepPlaces(ctx, now) }]
};
