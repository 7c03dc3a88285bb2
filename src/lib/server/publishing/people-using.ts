import { inDates, sees } from '$lib/core/access/decide';
import { countWords, DAY } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { asOf, asOfByEnd } from '../db/intervals';
import { all, type Db } from '../db';
import { everybody } from '../directory';
import { type GrantRow, grantsAt, type PublicationRow } from '../publications';

/** Who uses what, and who holds it. */

export interface Person {
	id: number;
	login: string;
	name: string;
}

/** Uses of a publication are sessions of a desktop; of an app, every time that it was open, however it was started. */
function usesBetween(
	db: Db,
	p: Pick<PublicationRow, 'id' | 'app'>,
	from: number,
	to: number
): { person: number; since: number; until: number }[] {
	const within = { 1: p.id, 2: from, 3: to };
	return p.app
		? all(
				db,
				`SELECT person_id AS person, since, until FROM app_runs WHERE package = ?4 AND target = ?5 AND +since <= ?3 AND until > ?2
				 UNION ALL SELECT person_id, since, until FROM sessions WHERE publication_id = ?1 AND +since <= ?3 AND until > ?2`,
				{ ...within, 4: p.app.package, 5: p.app.target }
			)
		: all(
				db,
				'SELECT person_id AS person, since, until FROM sessions WHERE publication_id = ?1 AND +since <= ?3 AND until > ?2',
				within
			);
}

/** People who have a publication open at a moment. */
export function peopleInUse(db: Db, p: Pick<PublicationRow, 'id' | 'app'>, at: number): number[] {
	return [...new Set(usesBetween(db, p, at, at).map((u) => u.person))];
}

/** People who have each of some publications open at a moment, all at once. */
export function peopleUsing(
	db: Db,
	publications: readonly Pick<PublicationRow, 'id' | 'app'>[],
	at: number
): Map<string, Set<number>> {
	const using = new Map(publications.map((p) => [p.id, new Set<number>()]));
	for (const s of all<{ publication: string; person: number }>(
		db,
		`SELECT publication_id AS publication, person_id AS person FROM sessions WHERE ${asOfByEnd('sessions')}`,
		{ at }
	))
		using.get(s.publication)?.add(s.person);
	for (const p of publications) if (p.app) for (const person of peopleInUse(db, p, at)) using.get(p.id)!.add(person);
	return using;
}

/** Most people at once between two moments. */
export function peakOf(uses: { person: number; since: number; until: number }[], from: number): number {
	const turns = uses
		.flatMap((u) => [
			{ at: Math.max(u.since, from), by: 1, person: u.person },
			{ at: u.until, by: -1, person: u.person }
		])
		.sort((a, b) => a.at - b.at || a.by - b.by);
	const open = new Map<number, number>();
	let peak = 0;
	for (const t of turns) {
		const n = (open.get(t.person) ?? 0) + t.by;
		if (n > 0) open.set(t.person, n);
		else open.delete(t.person);
		peak = Math.max(peak, open.size);
	}
	return peak;
}

/** How somebody has a publication. */
export type Having = 'required' | 'fetched' | 'can fetch';

interface Reached {
	person: Person;
	/** The teams that they are of, and all above those. */
	teams: readonly string[];
	having: Having;
	by: GrantRow;
}

/** Everybody who sees a publication and whom its grants reach at a moment, and how they have it. */
export function reachedBy(
	db: Db,
	publication: Pick<PublicationRow, 'id' | 'visible'>,
	at: number,
	grants: GrantRow[] = grantsAt(db, at).filter((g) => g.publication === publication.id)
): Map<string, Reached> {
	const reached = new Map<string, Reached>();
	if (grants.length === 0) return reached;
	const fetched = fetchersOf(db, publication.id, at);
	const door = { visible: publication.visible.map((id) => ({ id, name: id })) };
	for (const p of everybody(db, at)) {
		const own = p.teams;
		if (!sees(door, own)) continue;
		const by = grants.filter(
			(g) =>
				(g.toKind === 'person' ? g.toLogin === p.login : own.includes(g.toId)) &&
				inDates(g.conditions, p.zone, at) === 'in'
		);
		const best = by.find((g) => g.kind === 'required') ?? by[0];
		if (!best) continue;
		const having: Having = best.kind === 'required' ? 'required' : fetched.has(p.id) ? 'fetched' : 'can fetch';
		reached.set(p.login, { person: { id: p.id, login: p.login, name: p.name }, teams: own, having, by: best });
	}
	return reached;
}

/** People who have fetched an optional publication. */
export const fetchersOf = (db: Db, publication: string, at: number): Set<number> =>
	new Set(
		all<{ id: number }>(
			db,
			`SELECT person_id AS id FROM fetched WHERE publication_id = ? AND ${asOf('fetched', '?')}`,
			[publication, at, at]
		).map((r) => r.id)
	);

export interface LicenceState {
	licences: number | null;
	/** People who hold it: it is required of them, or they have fetched it. */
	holders: number;
	/** People who used it in 30 days, and most at once in that time. */
	used: number;
	peak: number;
	/** Holders who have not used it in 30 days, longest first; `last` null: never. */
	giveBack: { login: string; name: string; having: Having; by: string; last: number | null }[];
}

const LOOK_BACK = 30 * DAY;

/** How the licences of a publication stand at a moment. */
export function licencesAt(db: Db, p: PublicationRow, at: number): LicenceState {
	const uses = usesBetween(db, p, at - LOOK_BACK, at);
	const used = new Set(uses.map((u) => u.person));
	const holders = [...reachedBy(db, p, at).values()].filter((r) => r.having !== 'can fetch');
	// Of what is opened in a browser alone no session tells who uses it.
	const idle = p.reaches === null ? holders.filter((h) => !used.has(h.person.id)) : [];
	const last = lastUses(db, p, at);
	return {
		licences: p.licences,
		holders: holders.length,
		used: used.size,
		peak: peakOf(uses, at - LOOK_BACK),
		giveBack: idle
			.map((h) => ({
				login: h.person.login,
				name: h.person.name,
				having: h.having,
				by: h.by.toName,
				last: last.get(h.person.id) ?? null
			}))
			.sort((a, b) => (a.last ?? 0) - (b.last ?? 0) || a.name.localeCompare(b.name))
	};
}

/** What grants come to against the licences of a publication: said or refused, as it is set. */
export function licenceFacts(
	db: Db,
	pub: PublicationRow,
	at: number,
	grants?: GrantRow[]
): { warnings: Fact[]; blocks: Fact[]; reasons: Fact[] } {
	const none = { warnings: [], blocks: [], reasons: [] };
	if (pub.licences === null) return none;
	const holders = [...reachedBy(db, pub, at, grants).values()].filter((r) => r.having !== 'can fetch').length;
	const fact: Fact = {
		words: `${countWords(holders, 'person', 'people')} would hold one of ${countWords(pub.licences, 'licence')}`,
		side: holders > pub.licences ? 'against' : 'for',
		source: 'licences',
		about: { kind: 'publication', id: pub.id, name: pub.internalName }
	};
	if (holders <= pub.licences) return { ...none, reasons: [fact] };
	return pub.beyond === 'block' ? { ...none, blocks: [fact] } : { ...none, warnings: [fact] };
}

const lastUses = (db: Db, p: PublicationRow, at: number): Map<number, number> =>
	new Map(
		all<{ person: number; last: number }>(
			db,
			`SELECT person, max(last) AS last FROM (SELECT person_id AS person, since AS last FROM sessions WHERE publication_id = ?1 AND since <= ?2
			 UNION ALL SELECT person_id, since FROM app_runs WHERE package = ?3 AND target = ?4 AND since <= ?2) GROUP BY 1`,
			{ 1: p.id, 2: at, 3: p.app?.package ?? '', 4: p.app?.target ?? '' }
		).map((r) => [r.person, r.last])
	);
