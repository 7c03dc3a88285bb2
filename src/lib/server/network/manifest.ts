import type { Manifest } from '../manifest';
import { sweepSites } from './checks';
import { siteComparisons } from './findings';

export const manifest: Manifest = {
	name: 'network',
	comparisons: siteComparisons,
	chores: (ctx) => [{ name: 'checks of sites', every: 'sweep', run: (now) => sweepSites(ctx, now) }]
};
