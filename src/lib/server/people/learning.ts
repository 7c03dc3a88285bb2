import * as v from 'valibot';
import { mayMove, movedBy, type MemberChange, type Moved } from '$lib/core/people/changes';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, putSetting, setting, type Db } from '../db';
import { changeAt, closeAllAt, closeAt, openAt, putAt } from '../db/intervals';
import { logOf } from '../log';
import { everybody } from './directory';

/** How far the changes of the directory are known. */
const CURSOR = 'directory cursor';
/** The share of people that changes may move without anybody looking, in percent as it was typed. */
export const PERCENT = 'directory percent';
const USUAL_PERCENT = 5;
export const directoryPercent = (db: Db): number => Number(setting(db, PERCENT) ?? USUAL_PERCENT);

const pageSchema = v.object({
	cursor: v.pipe(v.number(), v.safeInteger(), v.minValue(0)),
	changes: v.array(
		v.object({
			at: v.pipe(v.number(), v.safeInteger()),
			login: v.string(),
			memberOf: v.pipe(v.array(v.string()), v.minLength(1))
		})
	)
});

/** What the directory has changed and Sextant has not taken in. */
export interface Waiting {
	/** Up to where it is known, and up to where these changes go. */
	after: number;
	through: number;
	changes: MemberChange[];
}

/** Asks the directory for everything that has changed, by the page; `upTo`: as far as a cursor that is known. */
export async function waitingChanges(ctx: Context, upTo?: number): Promise<Waiting> {
	const after = Number(setting(ctx.db, CURSOR) ?? 0);
	const waiting: Waiting = { after, through: after, changes: [] };
	for (;;) {
		const { cursor, changes } = v.parse(pageSchema, await ctx.providers.directory.changes(waiting.through, upTo));
		if (changes.length === 0 || cursor <= waiting.through) return waiting;
		waiting.through = cursor;
		for (const change of changes) waiting.changes.push(change);
	}
}

/** Whom changes would move, as the directory is known now. */
export function movedNow(db: Db, changes: readonly MemberChange[], now: number): Moved[] {
	if (changes.length === 0) return [];
	const known = new Map(everybody(db, now).map((p) => [p.login, p.memberOf]));
	return movedBy(changes, (login) => known.get(login) ?? null);
}

/**
 * Takes in what has changed of who is of which team, whole or not at all. What moves more people than may move without anybody looking is
 * held: it stands on Today until somebody has taken it in by a plan, or the directory has put it right itself.
 */
export async function learnMembers(ctx: Context): Promise<void> {
	const { db } = ctx;
	const waiting = await waitingChanges(ctx);
	if (waiting.changes.length === 0) return;
	const now = ctx.clock.now();
	const moved = movedNow(db, waiting.changes, now).length;
	const people = one<{ n: number }>(db, 'SELECT count(*) AS n FROM people')!.n;
	if (moved <= mayMove(people, directoryPercent(db) / 100))
		return db.transaction(() => takeIn(db, waiting, now)).immediate();
	const held = one<{ id: number; people: number }>(db, `SELECT id, people FROM held_changes WHERE until = ${FOREVER}`);
	if (held?.people === moved) return;
	if (held) changeAt(db, 'held_changes', { id: held.id }, { people: moved }, now);
	else openAt(db, 'held_changes', { id: waiting.after, people: moved }, now);
}

/** Takes changes in, and what was held of them is held no longer. Within a transaction. */
export function takeIn(db: Db, { through, changes }: Pick<Waiting, 'through' | 'changes'>, now: number): void {
	for (const change of changes) takeOne(db, change);
	putSetting(db, CURSOR, String(through));
	for (const { id } of all<{ id: number }>(db, `SELECT id FROM held_changes WHERE until = ${FOREVER}`))
		closeAllAt(db, 'held_changes', { id }, now);
}

/** Ends what somebody is no longer a member of, and begins what they have become a member of. */
function takeOne(db: Db, { at, login, memberOf }: MemberChange): void {
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
	const after = new Map(known.map((team) => [team, team === known[0] ? 1 : 0]));
	for (const team of before.keys())
		if (!after.has(team)) closeAt(db, 'memberships', { person_id: person, team_id: team }, at);
	for (const [team, home] of after)
		if (before.get(team) !== home) putAt(db, 'memberships', { person_id: person, team_id: team, home }, at);
}
