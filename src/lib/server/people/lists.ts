import * as v from 'valibot';
import { EVERYTHING } from '$lib/core/scope/scope';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all } from '../db';
import { asOf } from '../db/intervals';
import { factsOf, HERE, TEAMS_THEN } from '../moment/people-sql';
import { moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { grantsAt } from '../publications';
import { comingAt, comingGroups } from './coming';

const row = v.strictObject({ id: text, team: text, name: text, parent: v.nullable(text), people: whole });

export const teams = shortList({
	name: 'teams',
	words: 'Teams, with their people, those of teams below counted in',
	card: null,
	row,
	rows: (db, at) =>
		all<v.InferOutput<typeof row>>(
			db,
			`SELECT t.id, t.id AS team, t.name, parent.above_id AS parent, (SELECT count(*) FROM (SELECT DISTINCT mb.person_id FROM memberships mb JOIN team_nesting n ON n.team_id = mb.team_id JOIN ${factsOf('mb.person_id')} WHERE n.above_id = t.id AND ${asOf('team_nesting n')} AND ${asOf('memberships mb')} AND ${HERE})) AS people FROM ${TEAMS_THEN} ORDER BY t.name`,
			{ at }
		),
	why: (db, team, at) => [
		{ words: `${countWords(team.people, 'person', 'people')}, teams below counted in`, source: 'directory' },
		...grantsAt(db, at)
			.filter((g) => g.toKind === 'team' && g.toId === team.id)
			.map((g): Fact => ({
				words: `${g.publicationName} is granted to it`,
				at: g.since,
				source: 'grants',
				about: { kind: 'grant', id: String(g.id) }
			}))
	]
});

const comingRow = v.strictObject({
	id: text,
	person: text,
	name: text,
	kind: v.picklist(['begins', 'moves', 'ends']),
	at: moment,
	team: text,
	site: text,
	fromTeam: v.nullable(text),
	fromSite: v.nullable(text)
});

export const comings = shortList({
	name: 'comings',
	words: 'People who begin, move or end within sixty days of a moment, as it was known then',
	card: null,
	row: comingRow,
	rows: (db, at, scope) => {
		const { items, left } = comingAt(db, scope, at);
		return {
			items: items.map(({ login, from, ...c }) => ({
				id: `${c.kind}-${login}-${c.at}`,
				person: login,
				...c,
				fromTeam: from?.team ?? null,
				fromSite: from?.site ?? null
			})),
			left
		};
	},
	called: (r) => r.name,
	why: (db, r, at) => {
		const among = comingAt(db, EVERYTHING, at).items.filter(
			(c) => c.login === r.person && c.kind === r.kind && c.at === r.at
		);
		const [group] = comingGroups(db, at, { among });
		return group?.facts ?? [{ words: 'the day has passed', source: 'directory' }];
	}
});
