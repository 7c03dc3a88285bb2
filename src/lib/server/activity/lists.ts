import * as v from 'valibot';
import type { Fact } from '$lib/core/why/explained';
import { everybody } from '../directory';
import { moment, text } from '../lists/columns';
import { shortList } from '../lists/short';
import { looksAt } from './looking';

/** No limit, in SQLite’s terms. */
const ALL = -1;

export const activityLooks = shortList({
	name: 'activity-looks',
	words: 'Who looked at what somebody reached, and why, the latest first',
	card: null,
	row: v.strictObject({
		id: text,
		/** Whom they looked at. */
		person: text,
		name: text,
		team: text,
		site: text,
		by: text,
		why: text,
		at: moment,
		ends: moment
	}),
	rows: (db, at) => {
		const people = new Map(everybody(db, at).map((p) => [p.login, p]));
		return looksAt(db, at, ALL).map((l) => ({
			id: String(l.id),
			person: l.login,
			name: l.person,
			team: people.get(l.login)?.team ?? '',
			site: people.get(l.login)?.site ?? '',
			by: l.by,
			why: l.why,
			at: l.at,
			ends: l.ends
		}));
	},
	why: (_db, l): Fact[] => [{ words: l.why, at: l.at, source: `said by ${l.by}` }]
});
