import type { Estate } from '$lib/core/estate/schema';
import { putSetting, type Db } from '../db';
import { openAt } from '../db/intervals';
import { insertRow } from '../db/rows';
import { CALLED_AT } from '../network';

/** Writes down what an estate file says of branches, rules, and where devices have their addresses. */
export function settleEndpoints(db: Db, estate: Estate, at: number): void {
	for (const s of estate.sites.filter((x) => x.joined))
		for (const range of s.endpoint_ranges) insertRow(db, 'endpoint_ranges', { site_id: s.id, range });
	for (const b of estate.endpoints.branches)
		openAt(db, 'branches', { id: b.id, name: b.name, parent_id: b.parent ?? null, site_id: b.site ?? null }, at);
	if (estate.endpoints.called_at !== undefined) putSetting(db, CALLED_AT, estate.endpoints.called_at);
	estate.endpoints.rules.forEach((r, i) =>
		openAt(
			db,
			'enrolment_rules',
			{
				id: i + 1,
				position: i,
				name: r.name,
				condition: r.condition,
				into_id: r.into,
				by_site: r.by_site ? 1 : 0,
				whom: r.whom,
				often: r.often,
				deeper: r.deeper
			},
			at
		)
	);
}
