import * as v from 'valibot';
import { mayMove, movedBy, type MemberChange, type Moved } from '$lib/core/people/changes';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, putSetting, setting, type Db } from '../db';
import { changeAt, closeAllAt, closeAt, openAt, putAt } from '../db/intervals';
import { logOf } from '../log';
import { ProviderError } from '../providers';
import { everybody } from './directory';

/** How far the changes of the directory are known. */
const CURSOR = 'directory cursor';
/** The share of people that changes may move without anybody looking, in percent as it was typed. */
export const PERCENT = 'directory percent';
const USUAL_PERCENT = 5;
export function directoryPercent(db: Db): number {
	const kept = Number(setting(db, PERCENT) ?? USUAL_PERCENT);
	return kept >= 0 && kept <= 100 ? kept : USUAL_PERCENT;
}
const cursorOf = (db: Db): number => Number(setting(db, CURSOR) ?? 0) || 0;

/** Pages of one look: a directory that has no end to tell keeps nobody waiting. What is left is asked for at the next. */
const PAGES = 100;
/** Teams of one person, and changes of one page. */
const TEAMS = 5000;
const PAGE = 20_000;

const pageSchema = v.object({
	cursor: v.pipe(v.number(), v.safeInteger(), v.minValue(0)),
	changes: v.pipe(
		v.array(
			v.object({
				at: v.pipe(v.number(), v.safeInteger()),
				login: v.string(),
				memberOf: v.pipe(v.array(v.string()), v.minLength(1), v.maxLength(TEAMS))
			})
		),
		v.maxLength(PAGE)
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
	const after = cursorOf(ctx.db);
	const waiting: Waiting = { after, through: after, changes: [] };
	for (let page = 0; page < PAGES; page++) {
		const answer = v.safeParse(pageSchema, await ctx.providers.directory.changes(waiting.through, upTo));
		if (!answer.success)
			throw new ProviderError(`the directory tells of changes that cannot be read: ${answer.issues[0].message}`, false);
		const { cursor, changes } = answer.output;
		if (changes.length === 0 || cursor <= waiting.through) break;
		waiting.through = cursor;
		for (const change of changes) waiting.changes.push(change);
	}
	return waiting;
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

/**
 * Takes changes in, and what was held of them is held no longer. Within a transaction. Where somebody else has taken some in since these were
 * asked for, nothing is done: they are asked for anew at the next look.
 */
export function takeIn(db: Db, { after, through, changes }: Waiting, now: number): void {
	if (cursorOf(db) !== after) return;
	for (const change of changes) takeOne(db, change, now);
	putSetting(db, CURSOR, String(through));
	for (const { id } of all<{ id: number }>(db, `SELECT id FROM held_changes WHERE until = ${FOREVER}`))
		closeAllAt(db, 'held_changes', { id }, now);
}

/** Ends what somebody is no longer a member of, and begins what they have become a member of. */
function takeOne(db: Db, { at: told, login, memberOf }: MemberChange, now: number): void {
	const person = one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [login])?.id;
	const known = memberOf.filter((t) => one(db, 'SELECT 1 FROM teams WHERE id = ?', [t]) !== undefined);
	if (person === undefined || known[0] !== memberOf[0])
		return logOf('directory').warn(
			{ login, memberOf: memberOf.slice(0, 5) },
			'a change of somebody or of a home team that is not known is left out'
		);
	// Changes count in the order in which they are told, whatever a clock elsewhere says: none before the last one, and none ahead of us.
	const last = one<{ at: number }>(
		db,
		`SELECT max(max(since), max(iif(until = ${FOREVER}, 0, until))) AS at FROM memberships WHERE person_id = ?`,
		[person]
	)!.at;
	const at = Math.max(last, Math.min(told, now));
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
