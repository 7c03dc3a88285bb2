import * as v from 'valibot';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, putSetting, setting, type Db } from '../db';
import { closeAt, putAt } from '../db/intervals';
import { logOf } from '../log';
import type { MemberChange } from '../providers';

/** How far the changes of the directory are known. */
const CURSOR = 'directory cursor';

const changesSchema = v.object({
	cursor: v.pipe(v.number(), v.safeInteger(), v.minValue(0)),
	changes: v.array(
		v.object({
			at: v.pipe(v.number(), v.safeInteger()),
			login: v.string(),
			memberOf: v.pipe(v.array(v.string()), v.minLength(1))
		})
	)
});

/** Asks the directory what has changed of who is of which team, and takes it in: each page whole, or not at all. */
export async function learnMembers(ctx: Context): Promise<void> {
	for (;;) {
		const after = Number(setting(ctx.db, CURSOR) ?? 0);
		const { cursor, changes } = v.parse(changesSchema, await ctx.providers.directory.changes(after));
		if (changes.length === 0 || cursor <= after) return;
		ctx.db
			.transaction(() => {
				for (const change of changes) takeIn(ctx.db, change);
				putSetting(ctx.db, CURSOR, String(cursor));
			})
			.immediate();
	}
}

/** Ends what somebody is no longer a member of, and begins what they have become a member of. */
function takeIn(db: Db, { at, login, memberOf }: MemberChange): void {
	const person = one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [login])?.id;
	const known = memberOf.filter((t) => one(db, 'SELECT 1 FROM teams WHERE id = ?', [t]) !== undefined);
	if (person === undefined || known[0] !== memberOf[0])
		return logOf('directory').warn(
			{ login, memberOf },
			'a change of somebody or of a home team that is not known is left out'
		);
	const before = new Map(
		all<{ team: string; home: number }>(
			db,
			`SELECT team_id AS team, home FROM memberships WHERE person_id = ? AND until = ${FOREVER}`,
			[person]
		).map((m) => [m.team, m.home])
	);
	const after = new Map([...known].reverse().map((team) => [team, team === known[0] ? 1 : 0]));
	for (const team of before.keys())
		if (!after.has(team)) closeAt(db, 'memberships', { person_id: person, team_id: team }, at);
	for (const [team, home] of after)
		if (before.get(team) !== home) putAt(db, 'memberships', { person_id: person, team_id: team, home }, at);
}
