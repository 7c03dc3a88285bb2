import { networkFindings, volumeFindings } from '$lib/core/diagnosis/findings';
import { addressText, rangeEnds } from '$lib/core/network/addresses';
import { all } from '../db';
import type { Comparison } from '../manifest';
import { leasesIn } from './queries';

export const estateComparisons: readonly Comparison[] = [
	{
		kinds: ['volume nearly full'],
		every: 'sweep',
		async look({ db, providers }) {
			const ours = new Set(all<{ id: string }>(db, 'SELECT id FROM volumes').map((v) => v.id));
			return volumeFindings((await providers.compute.volumes()).filter((v) => ours.has(v.id)));
		}
	},
	{
		kinds: ['addresses running out'],
		every: 'sweep',
		look: async (ctx) =>
			networkFindings(
				(await leasesIn(ctx)).map(({ network: n, leases: { size, free, stale } }) => {
					const end = rangeEnds(n.range).last;
					const beyond = { count: end - n.last, last: addressText(end) };
					return { id: n.id, site: n.site_id, size, free, stale, beyond };
				})
			)
	}
];
