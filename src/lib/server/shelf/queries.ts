import { decideOpening, inDates, sees, type Lack } from '$lib/core/access/decide';
import type { Fact } from '$lib/core/why/explained';
import { narrow, type Scope, type Term } from '$lib/core/scope/scope';
import { asRule, requestOfPerson } from '../access';
import { homeTeam } from '../moment/people-sql';
import { personCalled } from '../directory';
import { doorsAt } from '../publishing';
import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';
import { type GrantRow, grantsAt, type Look, type PublicationRow, publicationsAt } from '../publications';
import { DAY } from '$lib/core/time/units';

/** How a publication stands on somebody's shelf. */
export type Standing = 'required' | 'fetched' | 'can fetch' | 'can ask';

export interface ShelfItem {
	id: string;
	name: string;
	description: string;
	icon: string;
	app: PublicationRow['app'];
	/** What it opens in a browser alone; null: a desktop or an app. */
	reaches: string | null;
	look: Look;
	standing: Standing;
	/** Whether it can be opened right now; a second factor is as it was given. */
	allowed: boolean;
	off: boolean;
	/** What stands between them and it, for saying so in their language. */
	lack: Lack | null;
	advice: string | null;
	/** The grant that it stands there by, or nothing. */
	by: string | null;
	why: Fact[];
	/** It came to the shelf, or changed its version, within the last week; ms UTC. */
	news: { at: number; words: string; version: string | null } | null;
	/** Personal machines that the person may have. */
	machines: number;
}

/** So long something counts as new. */
const NEW_FOR = 7 * DAY;

/**
 * Everything that a person finds on their shelf at a moment, past or to come. Null when there is no such person.
 * @param as what they would be otherwise: their teams with those above, the zone of their site
 */
export function shelfOf(
	db: Db,
	login: string,
	at: number,
	secondFactor: boolean,
	as: { teams?: string[]; zone?: string } = {}
): ShelfItem[] | null {
	const known = requestOfPerson(db, login, at, secondFactor);
	if (!known) return null;
	const request = { ...known, ...as };
	const person = one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [login])!;
	const fetched = new Set(
		all<{ id: string }>(
			db,
			`SELECT publication_id AS id FROM fetched WHERE person_id = ? AND ${asOf('fetched', '?')}`,
			[person.id, at, at]
		).map((r) => r.id)
	);
	const grants = grantsAt(db, at);
	const doors = doorsAt(db, at);
	return publicationsAt(db, at).flatMap((p) => {
		const door = doors(p);
		if (!sees(door, request.teams)) return [];
		const own = grants.filter((g) => g.publication === p.id);
		const decision = decideOpening(request, door, own.map(asRule));
		const reaching = own.filter(
			(g) =>
				(g.toKind === 'person' ? g.toLogin === login : request.teams.includes(g.toId)) &&
				inDates(g.conditions, request.zone, at) !== 'over'
		);
		const standing: Standing | null = reaching.some((g) => g.kind === 'required')
			? 'required'
			: reaching.length
				? fetched.has(p.id)
					? 'fetched'
					: 'can fetch'
				: p.owner !== null
					? 'can ask'
					: null;
		if (standing === null) return [];
		return [
			{
				id: p.id,
				name: p.name,
				description: p.description,
				icon: p.icon,
				app: p.app,
				reaches: p.reaches,
				look: p.look,
				standing,
				allowed: decision.value.allowed,
				off: p.off,
				lack: decision.value.lack,
				advice: decision.value.advice,
				by: reaching[0]?.toName ?? null,
				why: decision.facts,
				news: newsOf(db, p, reaching, at),
				machines: Math.max(1, ...reaching.map((g) => g.machines))
			}
		];
	});
}

function newsOf(db: Db, p: PublicationRow, reaching: GrantRow[], at: number): ShelfItem['news'] {
	if (reaching.length === 0) return null;
	const began = Number(
		one<{ value: string }>(db, `SELECT value FROM settings WHERE key = 'history began'`)?.value ?? 0
	);
	const given = Math.min(...reaching.map((g) => firstOf(db, g.id)));
	if (given > began && at - given < NEW_FOR) return { at: given, words: 'new on your shelf', version: null };
	if (!p.app) return null;
	const changed = one<{ since: number; version: string }>(
		db,
		`SELECT max(d.since) AS since, d.version FROM deliveries d WHERE d.package = ?1 AND ${asOf('deliveries d', '?2')} AND d.since > ?3
		 AND EXISTS (SELECT 1 FROM deliveries b WHERE b.pool_id = d.pool_id AND b.package = d.package AND b.until = d.since AND b.version <> d.version)`,
		{ 1: p.app.package, 2: at, 3: at - NEW_FOR }
	);
	return changed?.since ? { at: changed.since, words: `now ${changed.version}`, version: changed.version } : null;
}

const firstOf = (db: Db, grant: number): number =>
	one<{ since: number }>(db, 'SELECT min(since) AS since FROM grants WHERE id = ?', [grant])!.since;

export interface RequestRow {
	id: number;
	login: string;
	person: string;
	team: string;
	teamId: string;
	publication: string;
	name: string;
	at: number;
	why: string;
	/** `approved` or `declined`; null while it waits. */
	answer: string | null;
	answeredAt: number | null;
	answeredBy: string | null;
	words: string;
	owner: string | null;
}

/** Requests made up to a moment, those that wait first, newest first. */
export const requestsAt = (db: Db, at: number): RequestRow[] =>
	all<RequestRow>(
		db,
		`SELECT r.id, p.login, p.name AS person, coalesce(t.name, 'no team') AS team, coalesce(t.id, '') AS teamId, r.publication_id AS publication, pub.internal_name AS name, r.at, r.why,
			CASE WHEN r.answered_at <= ?1 THEN r.answer END AS answer, r.answered_at AS answeredAt, r.answered_by AS answeredBy, r.words, pub.owner
		 FROM requests r JOIN people p ON p.id = r.person_id LEFT JOIN teams t ON t.id = ${homeTeam('p.id', '?1')}
		 JOIN publications pub ON pub.id = r.publication_id AND ${asOf('publications pub', '?1')}
		 WHERE r.at <= ?1 ORDER BY (r.answer IS NOT NULL AND r.answered_at <= ?1), r.at DESC`,
		{ 1: at }
	);

/** The requests within a scope: of people of a team, of one person, for a publication. */
export function requestsIn(db: Db, scope: Scope, at: number): { items: RequestRow[]; left: Term[] } {
	return narrow(
		scope,
		requestsAt(db, at),
		{
			team: (r) => [...(personCalled(db, r.login, at)?.teams ?? [])],
			person: (r) => r.login,
			publication: (r) => r.publication
		},
		(r) => `${r.person} ${r.name} ${r.why}`
	);
}
