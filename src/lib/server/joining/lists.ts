import * as v from 'valibot';
import { EVERYTHING, withFacet } from '$lib/core/scope/scope';
import { countWords } from '$lib/core/time/units';
import { all } from '../db';
import { text } from '../lists/columns';
import { shortList } from '../lists/short';
import { checksAt } from '../network';
import { figuresAt } from '../watch';

const row = v.strictObject({
	id: text,
	site: text,
	name: text,
	kind: text,
	timeZone: text,
	state: v.picklist(['in order', 'not in order'])
});

export const sites = shortList({
	name: 'sites',
	words: 'Sites, and whether all is in order there',
	card: 'site',
	row,
	rows: (db, at) =>
		all<Omit<v.InferOutput<typeof row>, 'state'>>(
			db,
			'SELECT id, id AS site, name, kind, time_zone AS timeZone FROM sites WHERE joined_at <= ? ORDER BY position',
			[at]
		).map((s) => ({ ...s, state: checksAt(db, s.id, at).some((c) => c.ok === false) ? 'not in order' : 'in order' })),
	why(db, site, at) {
		const f = figuresAt(db, withFacet(EVERYTHING, 'site', site.id), at);
		return [
			{ words: `${countWords(f.people, 'person is', 'people are')} signed in`, source: 'measured' },
			{ words: `${f.up} of ${countWords(f.machines, 'machine')} are up`, source: 'compute provider' },
			...(f.unusable
				? [
						{
							words: `${countWords(f.unusable, 'machine is', 'machines are')} unusable`,
							side: 'against' as const,
							source: 'check'
						}
					]
				: [])
		];
	}
});
