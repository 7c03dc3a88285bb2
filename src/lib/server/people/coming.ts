import type { Coming, ComingGroup } from '$lib/core/people/coming';
import { lastDay, recordThen, type Move } from '$lib/core/people/record';
import { narrow, type Scope, type Term } from '$lib/core/scope/scope';
import { DAY, FOREVER } from '$lib/core/time/units';
import { all, type Db } from '../db';
import { recordsOf, saidBy, teamsAbove, type KnownPerson } from '../directory';
import { grantsAt, type GrantRow } from '../publications';
import { mornings } from './mornings';

/** So far people who begin, move and end are looked at, behind and ahead. */
export const AROUND = 60 * DAY;
/** Groups of whom it is worked out what they find. */
const GROUPS = 150;

const shown = (p: KnownPerson): Pick<Coming, 'login' | 'name'> => ({ login: p.now, name: p.name });

/** Everybody of whom something lies near a moment, as it was known then. */
const peopleNear = (db: Db, at: number): Map<string, KnownPerson> =>
	recordsOf(
		db,
		all<{ login: string }>(
			db,
			`SELECT p.login FROM people p WHERE p.id IN (
			 SELECT f.person_id FROM person_facts f WHERE f.begins > @from AND f.begins <= @to AND f.begins > 0 AND +f.since <= @at AND +f.until > @at
			 UNION SELECT f.person_id FROM person_facts f WHERE f.ends > @from AND f.ends <= @to AND +f.since <= @at AND +f.until > @at
			 UNION SELECT m.person_id FROM coming_moves m WHERE m.day > @from AND m.day <= @to AND +m.since <= @at AND +m.until > @at
			 UNION SELECT m.person_id FROM memberships m WHERE m.since > @from AND m.since <= @at
			 UNION SELECT f.person_id FROM person_facts f WHERE f.since > @from AND f.since <= @at)`,
			{ at, from: at - AROUND, to: at + AROUND }
		).map((p) => p.login),
		at
	);

/** All that lies near a moment, as it was known then, by its days. */
function everythingNear(db: Db, at: number): { items: Coming[]; people: ReadonlyMap<string, KnownPerson> } {
	const near = (t: number) => t > at - AROUND && t <= at + AROUND;
	const people = peopleNear(db, at);
	const items: Coming[] = [];
	const add = (
		p: KnownPerson,
		kind: Coming['kind'],
		day: number,
		to: Pick<Move, 'site' | 'memberOf'>,
		from: Coming['from']
	) => items.push({ ...shown(p), kind, at: day, team: to.memberOf[0] ?? '', site: to.site, from });
	for (const p of people.values()) {
		if (p.begins > 0 && near(p.begins)) add(p, 'begins', p.begins, recordThen(p, p.begins), null);
		if (p.ends < FOREVER && near(p.ends)) add(p, 'ends', lastDay(p), recordThen(p, lastDay(p)), null);
		let before: Pick<Move, 'site' | 'memberOf'> = p;
		for (const m of p.moves) {
			if (near(m.at) && m.at < p.ends) add(p, 'moves', m.at, m, { team: before.memberOf[0] ?? '', site: before.site });
			before = m;
		}
	}
	items.push(...movedBefore(db, at, people));
	return { items: items.sort((a, b) => a.at - b.at || a.name.localeCompare(b.name)), people };
}

/** Everybody of whom it is known at a moment that they begin, move or end within sixty days of it, as far as they lie in a scope. */
export function comingAt(db: Db, scope: Scope, at: number): { items: Coming[]; left: Term[] } {
	const above = teamsAbove(db, at);
	return narrow(
		scope,
		everythingNear(db, at).items,
		{
			site: (c) => (c.from ? [c.site, c.from.site] : c.site),
			team: (c) => [c.team, c.from?.team ?? ''].flatMap((t) => above.get(t) ?? [t]),
			person: (c) => c.login
		},
		(c) => `${c.name} ${c.login}`
	);
}

/** Those who went to another home team or site within the last sixty days. */
function movedBefore(db: Db, at: number, people: ReadonlyMap<string, KnownPerson>): Coming[] {
	const rows = all<{
		login: string;
		at: number;
		team: string;
		site: string;
		fromTeam: string | null;
		fromSite: string | null;
	}>(
		db,
		`WITH moved AS (
			SELECT a.person_id AS id, a.since AS at FROM memberships a WHERE a.home = 1 AND a.since > @from AND a.since <= @at
				AND EXISTS (SELECT 1 FROM memberships b WHERE b.person_id = a.person_id AND b.home = 1 AND b.until = a.since AND b.team_id <> a.team_id)
			UNION SELECT a.person_id, a.since FROM person_facts a WHERE a.since > @from AND a.since <= @at
				AND EXISTS (SELECT 1 FROM person_facts b WHERE b.person_id = a.person_id AND b.until = a.since AND b.site_id <> a.site_id))
		 SELECT p.login, m.at,
			(SELECT team_id FROM memberships x WHERE x.person_id = m.id AND x.home = 1 AND x.since <= m.at AND x.until > m.at) AS team,
			(SELECT team_id FROM memberships x WHERE x.person_id = m.id AND x.home = 1 AND x.until = m.at) AS fromTeam,
			(SELECT site_id FROM person_facts x WHERE x.person_id = m.id AND x.since <= m.at AND x.until > m.at) AS site,
			(SELECT site_id FROM person_facts x WHERE x.person_id = m.id AND x.until = m.at) AS fromSite
		 FROM moved m JOIN people p ON p.id = m.id`,
		{ at, from: at - AROUND }
	);
	return rows.flatMap((r): Coming[] => {
		const p = people.get(r.login);
		if (!p) return [];
		const from = { team: r.fromTeam ?? r.team, site: r.fromSite ?? r.site };
		return [{ ...shown(p), kind: 'moves', at: r.at, team: r.team ?? '', site: r.site, from }];
	});
}

/** Those of a moment to come, gathered: of the same teams, with the same grants of their own, and on the same day. */
function gathered(
	items: readonly Coming[],
	people: ReadonlyMap<string, KnownPerson>,
	grants: readonly GrantRow[],
	at: number
): [Coming, ...Coming[]][] {
	const own = new Map<string, string[]>();
	for (const g of grants)
		if (g.toLogin !== null) own.set(g.toLogin, [...(own.get(g.toLogin) ?? []), `${g.publication} ${g.kind}`]);
	const groups = new Map<string, [Coming, ...Coming[]]>();
	for (const c of items) {
		if (c.at < at) continue;
		const others = people.get(c.login)?.memberOf.slice(1).sort() ?? [];
		const key = JSON.stringify([c.kind, c.at, c.team, c.site, c.from, others, own.get(c.login)?.sort() ?? []]);
		const group = groups.get(key);
		if (group) group.push(c);
		else groups.set(key, [c]);
	}
	return [...groups.values()];
}

/**
 * Whoever begins, moves and ends from a moment on, with what each will find and what is missing; the next ones first. Worked out for all of
 * them, since who comes first takes what others would find: of a scope, or until a moment, those are left that lie in it.
 */
export function comingGroups(
	db: Db,
	at: number,
	{ among, until = Infinity }: { among?: readonly Coming[]; until?: number } = {}
): ComingGroup[] {
	const { items, people } = everythingNear(db, at);
	const groups = gathered(items, people, grantsAt(db, at), at)
		.filter(([c]) => c.at < until)
		.slice(0, GROUPS);
	if (groups.length === 0) return [];
	const say = saidBy(db);
	const look = mornings(db, at);
	const idOf = (c: Coming) => `${c.kind} ${c.login} ${c.at}`;
	const wanted = among && new Set(among.map(idOf));
	const place = (p: { team: string; site: string }) =>
		[p.team && say.team(p.team), say.site(p.site)].filter(Boolean).join(', ');
	return groups.flatMap((g): ComingGroup[] => {
		const [c] = g;
		const found = look[c.kind](g);
		const shown = wanted ? g.filter((x) => wanted.has(idOf(x))) : g;
		if (shown.length === 0) return [];
		return [
			{
				key: `${c.kind} ${c.at} ${c.login}`,
				kind: c.kind,
				at: c.at,
				day: say.day(c.at, c.site),
				people: shown.map(({ login, name }) => ({ login, name })),
				team: c.team && say.team(c.team),
				site: say.site(c.site),
				from: c.from && place(c.from),
				...found
			}
		];
	});
}

/** The day that each of them has, on the wall clock of their site. */
export function daysOf(db: Db, items: readonly Coming[]): string[] {
	const say = saidBy(db);
	return items.map((c) => say.day(c.at, c.site));
}
