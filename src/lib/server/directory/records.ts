import type { Move, PersonRecord, TeamRecord } from '$lib/core/people/record';
import { FOREVER, GB } from '$lib/core/time/units';
import { all, one, run, type Db } from '../db';
import { asOf, closeAllAt, closeAt, openAt, putAt, rowAt } from '../db/intervals';
import { fromJson } from '../db/json';
import { insertRow } from '../db/rows';
import { FACTS_HERE } from '../moment/people-sql';

/** Who says what is known of somebody or of a team: a directory that is asked, a program that tells by SCIM, or Sextant's own list. */
export type Source = 'directory' | 'scim' | 'here';

/** How sources are spoken of. */
export const SOURCE_WORDS: Record<Source, string> = {
	directory: 'the directory',
	scim: 'a program that tells by SCIM',
	here: 'Sextant’s own list'
};

interface FactsRow {
	id: number;
	login: string;
	name: string;
	mail: string | null;
	employment: string;
	manager: string | null;
	site: string;
	language: string | null;
	pattern: string;
	begins: number;
	ends: number;
	source: Source;
	now: string;
}

/** Somebody with their number, who tells of them, and the login that they have now: by it they are found, whatever it was then. */
export type KnownPerson = PersonRecord & { id: number; source: Source; now: string };

const FACTS = `SELECT p.id, p.source, p.login AS now, f.login, f.name, f.mail, f.employment, m.login AS manager, f.site_id AS site, f.language, f.pattern, f.begins, f.ends
	FROM people p JOIN person_facts f ON f.person_id = p.id AND ${asOf('person_facts f')} LEFT JOIN people m ON m.id = f.manager_id`;

/** Some people as they were known at a moment, by their numbers in SQL; null: all of them. */
function read(db: Db, at: number, ids: string | null, params: Record<string, unknown> = {}): KnownPerson[] {
	const among = (column: string) => (ids === null ? '' : `AND ${column} IN ${ids}`);
	const memberOf = new Map<number, string[]>();
	for (const m of all<{ person_id: number; team_id: string; home: number }>(
		db,
		`SELECT person_id, team_id, home FROM memberships WHERE ${asOf('memberships')} ${among('person_id')} ORDER BY person_id, team_id`,
		{ at, ...params }
	)) {
		const own = memberOf.get(m.person_id);
		if (!own) memberOf.set(m.person_id, [m.team_id]);
		else if (m.home) own.unshift(m.team_id);
		else own.push(m.team_id);
	}
	const moves = new Map<number, Move[]>();
	for (const m of all<{ person_id: number; day: number; site_id: string; member_of: string }>(
		db,
		`SELECT person_id, day, site_id, member_of FROM coming_moves WHERE ${asOf('coming_moves')} ${among('person_id')} ORDER BY day`,
		{ at, ...params }
	)) {
		const own = moves.get(m.person_id) ?? [];
		own.push({ at: m.day, site: m.site_id, memberOf: fromJson<string[]>('coming_moves.member_of', m.member_of) });
		moves.set(m.person_id, own);
	}
	return all<FactsRow>(db, `${FACTS} WHERE 1 ${among('p.id')} ORDER BY p.id`, { at, ...params }).map((f) => ({
		...f,
		memberOf: memberOf.get(f.id) ?? [],
		moves: moves.get(f.id) ?? []
	}));
}

/** Everybody who was known at a moment, those who had not begun or had ended as well, by the logins that they have now. */
export const recordsAt = (db: Db, at: number): Map<string, KnownPerson> =>
	new Map(read(db, at, null).map((p) => [p.now, p]));

/** Somebody by the login that they have now, as they were known at a moment; null where nobody was. */
export const recordOf = (db: Db, login: string, at: number): KnownPerson | null =>
	read(db, at, '(SELECT id FROM people WHERE login = @login)', { login })[0] ?? null;

/** Some of them, by the logins that they have now. */
export const recordsOf = (db: Db, logins: readonly string[], at: number): Map<string, KnownPerson> =>
	new Map(
		read(db, at, '(SELECT id FROM people WHERE login IN (SELECT value FROM json_each(@logins)))', {
			logins: JSON.stringify(logins)
		}).map((p) => [p.now, p])
	);

/** What has been known of somebody through time up to a moment, newest first, with when it became known; teams and moves apart. */
export const factsThrough = (db: Db, person: number, at: number): (PersonRecord & { since: number })[] =>
	all<Omit<FactsRow, 'id' | 'source' | 'now'> & { since: number }>(
		db,
		`SELECT f.since, f.login, f.name, f.mail, f.employment, m.login AS manager, f.site_id AS site, f.language, f.pattern, f.begins, f.ends
		 FROM person_facts f LEFT JOIN people m ON m.id = f.manager_id WHERE f.person_id = ? AND f.since <= ? ORDER BY f.since DESC`,
		[person, at]
	).map((f) => ({ ...f, memberOf: [], moves: [] }));

/** What of a person is neither told nor changed by records: their profile, and where they ask from. */
export interface Sits {
	profile: number;
	/** Where they ask from, until a device of theirs is known. */
	address: string;
}

const SITS: Sits = { profile: 2 * GB, address: '' };

/** The number of somebody, who is made where nobody is called so. */
export function personNumber(
	db: Db,
	{ login, name }: Pick<PersonRecord, 'login' | 'name'>,
	source: Source,
	{ profile, address }: Sits = SITS
): number {
	const known = one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [login]);
	return known?.id ?? insertRow(db, 'people', { login, name, source, profile, address })!;
}

/** The last moment at which anything that is known of somebody began or ended. */
const lastChange = (db: Db, person: number): number =>
	one<{ at: number }>(
		db,
		`SELECT max(at) AS at FROM (
			SELECT max(max(since), max(iif(until = ${FOREVER}, 0, until))) AS at FROM memberships WHERE person_id = @person
			UNION ALL SELECT max(max(since), max(iif(until = ${FOREVER}, 0, until))) FROM person_facts WHERE person_id = @person
			UNION ALL SELECT max(max(since), max(iif(until = ${FOREVER}, 0, until))) FROM coming_moves WHERE person_id = @person)`,
		{ person }
	)!.at ?? 0;

/**
 * Writes down what somebody is from a moment on: facts, teams and moves to come. What they are already stays as it is. Changes count in
 * the order in which they are told, whatever a clock elsewhere says: none counts before the last one. Within a transaction.
 * @param person their number
 */
export function writePerson(db: Db, person: number, is: PersonRecord, told: number): void {
	const facts = {
		person_id: person,
		login: is.login,
		name: is.name,
		mail: is.mail,
		employment: is.employment,
		manager_id:
			is.manager === null
				? null
				: (one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [is.manager])?.id ?? null),
		site_id: is.site,
		language: is.language,
		pattern: is.pattern,
		begins: is.begins,
		ends: is.ends
	};
	const before = rowAt(db, 'person_facts', { person_id: person }, FOREVER - 1);
	if (!before) return writeNewcomer(db, person, is, facts, told);
	const at = Math.max(lastChange(db, person), told);
	if (Object.entries(facts).some(([column, value]) => before[column] !== value)) putAt(db, 'person_facts', facts, at);

	const were = new Map(
		all<{ team: string; home: number }>(
			db,
			`SELECT team_id AS team, home FROM memberships WHERE person_id = ? AND until = ${FOREVER}`,
			[person]
		).map((m) => [m.team, m.home])
	);
	const teams = new Map(is.memberOf.map((team, i) => [team, i === 0 ? 1 : 0]));
	for (const team of were.keys())
		if (!teams.has(team)) closeAt(db, 'memberships', { person_id: person, team_id: team }, at);
	for (const [team, home] of teams)
		if (were.get(team) !== home) putAt(db, 'memberships', { person_id: person, team_id: team, home }, at);

	const known = new Map(
		all<{ day: number; site_id: string; member_of: string }>(
			db,
			`SELECT day, site_id, member_of FROM coming_moves WHERE person_id = ? AND until = ${FOREVER}`,
			[person]
		).map((m) => [m.day, `${m.site_id} ${m.member_of}`])
	);
	const moves = new Map(is.moves.map((m) => [m.at, { site_id: m.site, member_of: JSON.stringify(m.memberOf) }]));
	for (const day of known.keys()) if (!moves.has(day)) closeAt(db, 'coming_moves', { person_id: person, day }, at);
	for (const [day, move] of moves)
		if (known.get(day) !== `${move.site_id} ${move.member_of}`)
			putAt(db, 'coming_moves', { person_id: person, day, ...move }, at);
}

/** Of somebody of whom nothing is known yet there is nothing to end: lists of very many are written in no more statements than rows. */
function writeNewcomer(
	db: Db,
	person: number,
	is: PersonRecord,
	facts: { person_id: number; [column: string]: string | number | null },
	at: number
): void {
	openAt(db, 'person_facts', facts, at);
	is.memberOf.forEach((team_id, i) =>
		openAt(db, 'memberships', { person_id: person, team_id, home: i === 0 ? 1 : 0 }, at, 'keep')
	);
	for (const m of is.moves)
		openAt(
			db,
			'coming_moves',
			{ person_id: person, day: m.at, site_id: m.site, member_of: JSON.stringify(m.memberOf) },
			at,
			'keep'
		);
}

/** Somebody is of a team from a moment on: their home team where they are of none. Within a transaction. */
export function joinTeam(db: Db, person: number, team: string, at: number): void {
	const own = all<{ team_id: string; home: number }>(
		db,
		`SELECT team_id, home FROM memberships WHERE person_id = ? AND until = ${FOREVER}`,
		[person]
	);
	if (own.some((m) => m.team_id === team)) return;
	putAt(db, 'memberships', { person_id: person, team_id: team, home: own.some((m) => m.home === 1) ? 0 : 1 }, at);
}

/** Somebody is of a team no longer; where it was their home team, another of theirs is. Within a transaction. */
export function leaveTeam(db: Db, person: number, team: string, at: number): void {
	closeAt(db, 'memberships', { person_id: person, team_id: team }, at);
	const own = all<{ team_id: string; home: number }>(
		db,
		`SELECT team_id, home FROM memberships WHERE person_id = ? AND until = ${FOREVER} ORDER BY since, team_id`,
		[person]
	);
	if (own[0] && !own.some((m) => m.home === 1))
		putAt(db, 'memberships', { person_id: person, team_id: own[0].team_id, home: 1 }, at);
}

/** Writes down what a team is from a moment on. Those below it stay below it. Within a transaction. */
export function writeTeam(db: Db, { id, name, parent }: TeamRecord, source: Source, at: number): void {
	const before = one<{ name: string; parent_id: string | null; gone: number }>(
		db,
		'SELECT name, parent_id, gone FROM teams WHERE id = ?',
		[id]
	);
	// A name is free again once its team has gone, which is told apart by its id from then on.
	run(db, `UPDATE teams SET name = name || ' (' || id || ')' WHERE name = ? AND id <> ? AND gone = 1`, [name, id]);
	if (!before) {
		insertRow(db, 'teams', { id, name, parent_id: parent, source });
		nest(db, id, at);
		return;
	}
	if (before.name === name && before.parent_id === parent && before.gone === 0) return;
	// One that is there again is whoever’s tells of it now.
	run(
		db,
		'UPDATE teams SET name = @name, parent_id = @parent, source = iif(gone, @source, source), gone = 0 WHERE id = @id',
		{
			id,
			name,
			parent,
			source
		}
	);
	if (before.parent_id === parent && before.gone === 0) return;
	const below = all<{ id: string }>(
		db,
		`SELECT team_id AS id FROM team_nesting WHERE above_id = ? AND team_id <> above_id AND until = ${FOREVER}`,
		[id]
	);
	for (const t of [{ id }, ...below]) nest(db, t.id, at);
}

/** Writes down what a team stands below from a moment on, itself first; what it stood below before and does still, stays as it is. */
function nest(db: Db, id: string, at: number): void {
	const above = new Map(
		all<{ id: string; depth: number }>(
			db,
			`WITH RECURSIVE up(id, depth) AS (SELECT ?, 0 UNION
			 SELECT t.parent_id, depth + 1 FROM up JOIN teams t ON t.id = up.id WHERE t.parent_id IS NOT NULL AND depth < 1000)
			 SELECT id, min(depth) AS depth FROM up GROUP BY id`,
			[id]
		).map((a) => [a.id, a.depth])
	);
	for (const was of all<{ above_id: string; depth: number }>(
		db,
		`SELECT above_id, depth FROM team_nesting WHERE team_id = ? AND until = ${FOREVER}`,
		[id]
	)) {
		if (above.get(was.above_id) === was.depth) above.delete(was.above_id);
		else closeAt(db, 'team_nesting', { team_id: id, above_id: was.above_id }, at);
	}
	for (const [above_id, depth] of above) openAt(db, 'team_nesting', { team_id: id, above_id, depth }, at);
}

/** A team is no longer there: nobody is of it from then on, and those below it hang where it hung. Within a transaction. */
export function endTeam(db: Db, id: string, at: number): void {
	const members = all<{ id: number }>(
		db,
		`SELECT person_id AS id FROM memberships WHERE team_id = ? AND until = ${FOREVER}`,
		[id]
	);
	for (const m of members) leaveTeam(db, m.id, id, at);
	const { parent } = one<{ parent: string | null }>(db, 'SELECT parent_id AS parent FROM teams WHERE id = ?', [id])!;
	const below = all<TeamRecord & { source: Source }>(
		db,
		'SELECT id, name, parent_id AS parent, source FROM teams WHERE parent_id = ? AND gone = 0',
		[id]
	);
	for (const t of below) writeTeam(db, { ...t, parent }, t.source, at);
	run(db, 'UPDATE teams SET gone = 1 WHERE id = ?', [id]);
	closeAllAt(db, 'team_nesting', { team_id: id }, at);
}

/** How many people there are at a moment: who has begun and has not ended. */
export const countPeople = (db: Db, at: number): number =>
	one<{ n: number }>(db, `SELECT count(*) AS n FROM person_facts f WHERE ${FACTS_HERE}`, { at })!.n;

/** Notes that something that is told of somebody cannot be taken in, and why. */
export function leaveOut(db: Db, login: string, words: string, at: number): void {
	const before = one<{ words: string }>(db, `SELECT words FROM left_out WHERE login = ? AND until = ${FOREVER}`, [
		login
	]);
	if (before?.words === words) return;
	closeAt(db, 'left_out', { login }, at);
	openAt(db, 'left_out', { login, words }, at);
}
