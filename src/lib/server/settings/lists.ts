import * as v from 'valibot';
import { HOLDS, SUBJECT_KINDS, valueWords } from '$lib/core/settings/kinds';
import { reachText } from '$lib/core/settings/reach';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { catalogueIn, groupsAt } from './queries';
import { reachNames } from './subjects';

export const settingsGroups = shortList({
	name: 'settings-groups',
	words: 'Values of settings that belong together, the highest rank first, and what they are for',
	card: 'settings-group',
	row: v.strictObject({
		id: text,
		name: text,
		rank: whole,
		/** How many settings it says. */
		settings: whole,
		assigned: v.array(text),
		excluded: v.array(text),
		since: moment,
		by: text
	}),
	rows: (db, at) =>
		groupsAt(db, at).map((g) => ({
			id: g.id,
			name: g.name,
			rank: g.rank,
			settings: Object.keys(g.values).length,
			assigned: g.assigned.map(reachText),
			excluded: g.excluded.map(reachText),
			since: g.since,
			by: g.by
		})),
	called: (g) => g.name,
	why: (db, g, at): Fact[] => {
		const name = reachNames(db, at);
		const found = groupsAt(db, at).find((x) => x.id === g.id);
		return [
			{ words: `it is as it is by ${g.by}`, at: g.since, source: 'settings' },
			{
				words: found?.assigned.length
					? `it is assigned to ${found.assigned.map(name).join(', ')}`
					: 'it is assigned to nothing, and so it counts nowhere',
				source: 'settings'
			},
			...(found?.excluded.length
				? [{ words: `left out: ${found.excluded.map(name).join(', ')}`, side: 'against' as const, source: 'settings' }]
				: [])
		];
	}
});

export const settingsCatalogue = shortList({
	name: 'settings',
	words: 'Settings that groups can say, with the value that counts where none does',
	card: null,
	row: v.strictObject({
		id: text,
		name: text,
		area: text,
		words: text,
		type: text,
		usual: text,
		for: v.array(v.picklist(SUBJECT_KINDS)),
		holds: v.picklist(HOLDS),
		/** Whether applying it takes time at a sign-in. */
		costs: v.boolean(),
		/** How many groups say it. */
		groups: whole
	}),
	rows: (db, at) => {
		const catalogue = catalogueIn(db);
		const groups = groupsAt(db, at, catalogue);
		return catalogue.map((s) => ({
			id: s.id,
			name: s.name,
			area: s.area,
			words: s.words,
			type: s.type.is,
			usual: valueWords(s.type, s.usual),
			for: [...s.for],
			holds: s.holds,
			costs: s.cost !== undefined,
			groups: groups.filter((g) => Object.hasOwn(g.values, s.id)).length
		}));
	},
	called: (s) => s.name,
	why: (db, s, at): Fact[] => {
		const groups = groupsAt(db, at).filter((g) => Object.hasOwn(g.values, s.id));
		return [
			{ words: s.words || `it is one of the estate’s own`, source: 'settings' },
			{
				words: groups.length
					? `${countWords(groups.length, 'group says', 'groups say')} it: ${groups.map((g) => g.name).join(', ')}`
					: `no group says it: ${s.usual} counts everywhere`,
				source: 'settings'
			}
		];
	}
});
