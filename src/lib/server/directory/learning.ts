import * as v from 'valibot';
import { differences, goneAt, isMoved, mayMove, outcomes, type Outcome } from '$lib/core/people/changes';
import { isPersonLogin } from '$lib/core/people/login';
import type { DirectoryChange, PersonRecord } from '$lib/core/people/record';
import { countWords, FOREVER, MINUTE } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, putSetting, setting, type Db } from '../db';
import { changeAt, closeAllAt, closeAt, openAt } from '../db/intervals';
import { ProviderError } from '../providers';
import {
	countPeople,
	endTeam,
	leaveOut,
	personNumber,
	recordOf,
	recordsAt,
	recordsOf,
	SOURCE_WORDS,
	writePerson,
	writeTeam,
	type Source
} from './records';

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
/** Teams of one person, moves to come, and changes of one page. */
const TEAMS = 5000;
const MOVES = 100;
const PAGE = 20_000;

const text = v.pipe(v.string(), v.maxLength(500));
const moment = v.pipe(v.number(), v.safeInteger());
const teamList = v.pipe(v.array(text), v.maxLength(TEAMS));
export const personRecordSchema = v.object({
	login: text,
	name: v.pipe(text, v.nonEmpty()),
	mail: v.nullable(text),
	employment: text,
	manager: v.nullable(text),
	site: text,
	language: v.nullable(text),
	pattern: text,
	begins: moment,
	ends: moment,
	memberOf: teamList,
	moves: v.pipe(v.array(v.object({ at: moment, site: text, memberOf: teamList })), v.maxLength(MOVES))
});
const teamSchema = v.object({ id: text, name: v.pipe(text, v.nonEmpty()), parent: v.nullable(text) });
const cursorSchema = v.pipe(v.number(), v.safeInteger(), v.minValue(0));
const pageSchema = v.union([
	v.object({ lost: v.literal(true) }),
	v.object({
		cursor: cursorSchema,
		changes: v.pipe(
			v.array(
				v.variant('kind', [
					v.object({ at: moment, kind: v.literal('person'), is: personRecordSchema, was: v.optional(text) }),
					v.object({ at: moment, kind: v.literal('person gone'), login: text }),
					v.object({ at: moment, kind: v.literal('team'), team: teamSchema }),
					v.object({ at: moment, kind: v.literal('team gone'), team: text })
				])
			),
			v.maxLength(PAGE)
		)
	})
]);
const wholeSchema = v.object({
	cursor: cursorSchema,
	teams: v.pipe(v.array(teamSchema), v.maxLength(PAGE)),
	people: v.pipe(v.array(personRecordSchema), v.maxLength(PAGE))
});

/** What the directory has changed and Sextant has not taken in. */
export interface Waiting {
	/** Up to where it is known, and up to where these changes go. */
	after: number;
	through: number;
	changes: DirectoryChange[];
	/** Whether the directory had forgotten what it changed: it was read whole, and these are what must have been changed. How many people it has. */
	anew: { people: number } | null;
}

/**
 * Asks the directory for everything that has changed, by the page; `upTo`: as far as a cursor that is known. Where it does not know any
 * more, it is read whole and compared with what is known of it.
 */
export async function waitingChanges(ctx: Context, upTo?: number): Promise<Waiting> {
	const after = cursorOf(ctx.db);
	const waiting: Waiting = { after, through: after, changes: [], anew: null };
	for (let page = 0; page < PAGES; page++) {
		const answer = readAs(pageSchema, await ctx.providers.directory.changes(waiting.through, upTo));
		if ('lost' in answer) return page === 0 ? readAnew(ctx, after) : waiting;
		const { cursor, changes } = answer;
		if (changes.length === 0 || cursor <= waiting.through) break;
		waiting.through = cursor;
		for (const change of changes as DirectoryChange[]) waiting.changes.push(change);
	}
	return waiting;
}

function readAs<S extends v.GenericSchema>(schema: S, told: unknown): v.InferOutput<S> {
	const answer = v.safeParse(schema, told);
	if (answer.success) return answer.output;
	throw new ProviderError(`the directory tells of changes that cannot be read: ${answer.issues[0].message}`, false);
}

/** Reads the directory whole. What it changes meanwhile is told after the cursor of the first page. */
async function readAnew(ctx: Context, after: number): Promise<Waiting> {
	const { db } = ctx;
	const first = readAs(wholeSchema, await ctx.providers.directory.whole(''));
	const people = new Map<string, PersonRecord>();
	for (let { people: page } = first, n = 0; page.length > 0; n++) {
		const last = page.at(-1)!.login;
		for (const p of page) people.set(p.login, p);
		// Half a directory would take the other half for gone.
		if (n >= PAGES) throw new ProviderError('the directory has more people than can be read', false);
		({ people: page } = readAs(wholeSchema, await ctx.providers.directory.whole(last)));
		if (page[0] && page[0].login <= last)
			throw new ProviderError('the directory tells of the same people again and again', false);
	}
	// However few they were: it is broken, and nobody has ended.
	if (people.size === 0) throw new ProviderError('the directory tells of nobody at all', false);
	const now = ctx.clock.now();
	const teams = all<{ id: string; name: string; parent: string | null }>(
		db,
		`SELECT id, name, parent_id AS parent FROM teams WHERE source = 'directory' AND gone = 0 ORDER BY id`
	);
	const own = theirTeams(db, first.teams);
	return {
		after,
		through: first.cursor,
		anew: { people: people.size },
		changes: differences(
			{ teams, people: [...recordsAt(db, now).values()].filter((p) => p.source === 'directory').map(own) },
			{ teams: first.teams, people: [...people.values()].map(own) },
			now
		)
	};
}

/** Somebody with those of their teams alone that the directory tells of: with others it has nothing to do. Their home team stays. */
function theirTeams(db: Db, alsoTold: readonly { id: string }[]): <P extends PersonRecord>(is: P) => P {
	const told = new Set(
		all<{ id: string }>(db, `SELECT id FROM teams WHERE source = 'directory' AND gone = 0`).map((t) => t.id)
	);
	for (const t of alsoTold) told.add(t.id);
	const of = (teams: readonly string[]) => teams.filter((t, i) => i === 0 || told.has(t));
	return (is) => ({
		...is,
		memberOf: of(is.memberOf),
		moves: is.moves.map((m) => ({ ...m, memberOf: of(m.memberOf) }))
	});
}

const namedBy = (c: DirectoryChange): string[] =>
	c.kind === 'person' ? [c.is.login, c.was ?? c.is.login] : c.kind === 'person gone' ? [c.login] : [];

/** What a change of a team is noted by: no login has a blank. */
const teamNamed = (c: DirectoryChange): string =>
	`team ${c.kind === 'team' ? c.team.id : c.kind === 'team gone' ? c.team : ''}`;

/** Who is of a team now. */
const loginsOf = (db: Db, team: string): string[] =>
	all<{ login: string }>(
		db,
		`SELECT p.login FROM memberships m JOIN people p ON p.id = m.person_id WHERE m.team_id = ? AND m.until = ${FOREVER}`,
		[team]
	).map((p) => p.login);

/** What changes come to for everybody whom they name, as people are known now. */
export function outcomesNow(db: Db, changes: readonly DirectoryChange[], now: number): Outcome[] {
	if (changes.length === 0) return [];
	const gone = new Map(
		changes.flatMap((c) => (c.kind === 'team gone' ? [[c.team, loginsOf(db, c.team)] as const] : []))
	);
	const known = recordsOf(db, [...changes.flatMap(namedBy), ...[...gone.values()].flat()], now);
	const own = theirTeams(
		db,
		changes.flatMap((c) => (c.kind === 'team' ? [c.team] : []))
	);
	return outcomes(
		changes.map((c) => (c.kind === 'person' ? { ...c, is: own(c.is) } : c)),
		(login) => {
			const is = known.get(login);
			return is ? own(is) : null;
		},
		(team) => gone.get(team) ?? []
	);
}

/** A directory that was read whole, and of which so much is other that it is held, is not read whole again each minute. */
const READ_AGAIN = 10 * MINUTE;
const readAgain = new WeakMap<Db, number>();

/**
 * Takes in what has changed, whole or not at all. What takes more people out of what they had than may be without anybody looking is
 * held: it stands on Today until somebody has taken it in by a plan, or the directory has put it right itself.
 */
export async function learnPeople(ctx: Context): Promise<void> {
	const { db } = ctx;
	if (ctx.clock.now() < (readAgain.get(db) ?? 0)) return;
	const waiting = await waitingChanges(ctx);
	if (waiting.through === waiting.after && waiting.changes.length === 0) return;
	const now = ctx.clock.now();
	const moved = outcomesNow(db, waiting.changes, now).filter(isMoved).length;
	if (moved <= mayMove(countPeople(db, now), directoryPercent(db) / 100))
		return db.transaction(() => takeIn(db, waiting, now)).immediate();
	if (waiting.anew) readAgain.set(db, now + READ_AGAIN);
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
	readAgain.delete(db);
	// Everybody first, so that whoever reports to somebody who comes with them finds them.
	for (const c of changes)
		if (c.kind === 'person' && c.was === undefined && whyNot(db, c, 'directory') === null)
			personNumber(db, c.is, 'directory');
	for (const change of changes) takeOne(db, change, 'directory', now);
	putSetting(db, CURSOR, String(through));
	for (const { id } of all<{ id: number }>(db, `SELECT id FROM held_changes WHERE until = ${FOREVER}`))
		closeAllAt(db, 'held_changes', { id }, now);
}

/** Takes one change in, or notes why it cannot be. None counts ahead of us, whatever a clock elsewhere says. */
function takeOne(db: Db, change: DirectoryChange, source: Source, now: number): void {
	const at = Math.min(change.at, now);
	const why = whyNot(db, change, source);
	const login = namedBy(change)[0] ?? teamNamed(change);
	if (why !== null) {
		leaveOut(db, login, why, now);
		return;
	}
	closeAt(db, 'left_out', { login }, now);
	switch (change.kind) {
		case 'person': {
			const { id } = one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [
				change.was ?? change.is.login
			]) ?? {
				id: personNumber(db, change.is, source)
			};
			const is = readable(db, change.is);
			return writePerson(db, id, { ...is, memberOf: [...is.memberOf, ...othersTell(db, id, source)] }, at);
		}
		case 'person gone': {
			const is = recordOf(db, change.login, now);
			if (is) writePerson(db, is.id, goneAt(is, at), at);
			return;
		}
		case 'team':
			return writeTeam(db, change.team, source, at);
		case 'team gone':
			return endTeam(db, change.team, at);
	}
}

/** Teams of somebody that another tells of, which whoever tells of them knows nothing about. */
const othersTell = (db: Db, person: number, source: Source): string[] =>
	all<{ id: string }>(
		db,
		`SELECT t.id FROM memberships m JOIN teams t ON t.id = m.team_id AND t.source <> ? AND t.gone = 0 WHERE m.person_id = ? AND m.home = 0 AND m.until = ${FOREVER}`,
		[source, person]
	).map((t) => t.id);

const isTeam = (db: Db, id: string): boolean => one(db, 'SELECT 1 FROM teams WHERE id = ?', [id]) !== undefined;
const isSite = (db: Db, id: string): boolean => one(db, 'SELECT 1 FROM sites WHERE id = ?', [id]) !== undefined;

/** A record without the other teams that are not known; a move to a site or home team that is not known is left out of it. */
function readable(db: Db, is: PersonRecord): PersonRecord {
	const teams = (memberOf: readonly string[]) => [...new Set(memberOf)].filter((t) => isTeam(db, t));
	return {
		...is,
		memberOf: teams(is.memberOf),
		moves: is.moves
			.filter((m) => isSite(db, m.site) && (m.memberOf.length === 0 || isTeam(db, m.memberOf[0]!)))
			.map((m) => ({ ...m, memberOf: teams(m.memberOf) }))
			.sort((a, b) => a.at - b.at)
	};
}

/** Why a change cannot be taken in, in words; null where it can. */
function whyNot(db: Db, change: DirectoryChange, source: Source): string | null {
	switch (change.kind) {
		case 'person': {
			const { is, was } = change;
			if (!isPersonLogin(is.login)) return `“${is.login.slice(0, 60)}” cannot be a login`;
			if (!isSite(db, is.site)) return `there is no site ${is.site.slice(0, 60)}`;
			if (is.memberOf.length && !isTeam(db, is.memberOf[0]!)) return `there is no team ${is.memberOf[0]!.slice(0, 60)}`;
			if (is.ends <= is.begins) return 'they would end before they begin';
			const known = one<{ source: Source }>(db, 'SELECT source FROM people WHERE login = ?', [was ?? is.login]);
			if (known && known.source !== source) return `${SOURCE_WORDS[known.source]} tells of somebody with this login`;
			if (was !== undefined && was !== is.login && one(db, 'SELECT 1 FROM people WHERE login = ?', [is.login]))
				return `somebody else is called ${is.login}`;
			return null;
		}
		case 'person gone': {
			const known = one<{ source: Source }>(db, 'SELECT source FROM people WHERE login = ?', [change.login]);
			return !known || known.source === source
				? null
				: `${SOURCE_WORDS[known.source]} tells of somebody with this login`;
		}
		case 'team':
			return othersKeep(db, change.team.id, source) ?? teamProblem(db, change.team);
		case 'team gone':
			return othersKeep(db, change.team, source) ?? (isTeam(db, change.team) ? null : 'there is no such team');
	}
}

/** Who else tells of a team, in words; null where nobody does. */
function othersKeep(db: Db, id: string, source: Source): string | null {
	const kept = one<{ source: Source }>(db, 'SELECT source FROM teams WHERE id = ? AND gone = 0', [id])?.source;
	return kept === undefined || kept === source ? null : `${SOURCE_WORDS[kept]} tells of a team with this id`;
}

/** How many teams may stand above one. */
const DEPTH = 50;

/** Why a team cannot be as it is told, in words; null where it can. */
export function teamProblem(
	db: Db,
	{ id, name, parent }: { id: string; name: string; parent: string | null }
): string | null {
	if (one(db, 'SELECT 1 FROM teams WHERE name = ? AND id <> ? AND gone = 0', [name, id]))
		return `another team is called ${name}`;
	let depth = 0;
	for (let up = parent; up !== null; depth++) {
		if (up === id) return `${name} would stand above itself`;
		if (depth >= DEPTH) return `more than ${countWords(DEPTH, 'team')} would stand above ${name}`;
		const above = one<{ parent: string | null }>(db, 'SELECT parent_id AS parent FROM teams WHERE id = ?', [up]);
		if (!above) return `there is no team ${up.slice(0, 60)}`;
		up = above.parent;
	}
	return null;
}
