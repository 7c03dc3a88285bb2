import * as v from 'valibot';
import type { Fact } from '$lib/core/why/explained';
import { everybody } from '../directory';
import { moment, text } from '../lists/columns';
import { shortList } from '../lists/short';
import { looksAt } from './looking';
import { ASPECTS } from '$lib/core/activity/unusual';
import { aspectWords, rightSoFar, unusualAt } from './unusual';

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

/** So much of what was found is listed. */
const FOUND = 5000;

export const unusualActivity = shortList({
	name: 'unusual-findings',
	words: 'Hours in which somebody did what is unlike them, the latest first',
	card: null,
	need: { area: 'activity', level: 'read' },
	row: v.strictObject({
		id: text,
		person: text,
		name: text,
		team: text,
		site: text,
		/** The hour, as its beginning. */
		at: moment,
		found: moment,
		/** Once in so many hours of somebody like them. */
		odds: v.number(),
		aspects: v.array(v.picklist(ASPECTS)),
		answer: v.nullable(v.picklist(['yes', 'no'])),
		by: v.nullable(text)
	}),
	rows: (db, at) =>
		unusualAt(db, at, FOUND).map(({ login, aspects, ...u }) => ({
			id: String(u.id),
			person: login,
			name: u.name,
			team: u.team,
			site: u.site,
			at: u.at,
			found: u.found,
			odds: u.odds,
			aspects: aspects.map((a) => a.aspect),
			answer: u.answer,
			by: u.by
		})),
	why: (db, row, at): Fact[] => {
		const found = unusualAt(db, at, FOUND).find((u) => String(u.id) === row.id);
		const right = rightSoFar(db, at);
		return (found?.aspects ?? []).map((a): Fact => ({
			words: a.words,
			side: 'against',
			at: row.at,
			source: `${aspectWords(a.aspect)}: ${right.words(a.aspect)}`
		}));
	}
});
