import type { Estate } from '$lib/core/estate/schema';
import { readGroup, writtenGroup } from '$lib/core/settings/file';
import { byId, catalogueOf } from '$lib/core/settings/own';
import type { Db } from '../db';
import { openAt } from '../db/intervals';
import { insertRow } from '../db/rows';

/** Writes down what an estate file says of settings: those of its own, and groups. */
export function settleSettings(db: Db, estate: Estate, at: number): void {
	estate.settings.catalogue.forEach((own, position) =>
		insertRow(db, 'own_settings', { position, spec: JSON.stringify(own) })
	);
	const settings = byId(catalogueOf(estate.settings.catalogue));
	for (const given of estate.settings.groups) {
		const read = readGroup(settings, given);
		if ('problems' in read) continue;
		const g = { note: '', ...writtenGroup(settings, read.group) };
		openAt(
			db,
			'settings_groups',
			{
				id: g.id,
				name: g.name,
				note: g.note,
				rank: g.rank,
				said: JSON.stringify(g.values),
				assigned: JSON.stringify(g.assigned),
				excluded: JSON.stringify(g.excluded),
				by: 'the estate file'
			},
			at
		);
	}
}
