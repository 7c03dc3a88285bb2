import * as v from 'valibot';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all } from '../db';
import { asOf } from '../db/intervals';
import { factsOf, HERE } from '../moment/people-sql';
import { text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { grantsAt } from '../publications';

const row = v.strictObject({ id: text, team: text, name: text, parent: v.nullable(text), people: whole });

export const teams = shortList({
	name: 'teams',
	words: 'Teams, with their people, those of teams below counted in',
	card: null,
	row,
	rows: (db, at) =>
		all<v.InferOutput<typeof row>>(
			db,
			`SELECT t.id, t.id AS team, t.name, t.parent_id AS parent, (SELECT count(*) FROM (SELECT DISTINCT mb.person_id FROM memberships mb JOIN team_nesting n ON n.team_id = mb.team_id JOIN ${factsOf('mb.person_id')} WHERE n.above_id = t.id AND ${asOf('memberships mb')} AND ${HERE})) AS people FROM teams t WHERE t.gone = 0 ORDER BY t.name`,
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
