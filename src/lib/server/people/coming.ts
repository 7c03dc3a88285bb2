import type { Coming, ComingGroup } from '$lib/core/people/coming';
import { lastDay, recordThen, type Move } from '$lib/core/people/record';
import { narrow, type Scope, type Term } from '$lib/core/scope/scope';
import { DAY, FOREVER } from '$lib/core/time/units';
import { all, type Db } from '../db';
import { recordsAt, saidBy, teamsAbove, type KnownPerson } from '../directory';
import { mornings } from './mornings';

/** So far people who begin, move and end are looked at, behind and ahead. */
export const AROUND = 60 * DAY;
/** Groups that a page shows. */
const GROUPS = 60;

const shown = (p: KnownPerson): Pick<Coming, 'login' | 'name'> => ({ login: p.login, name: p.name });

/** Everybody of whom it is known at a moment that they begin, move or end within sixty days of it, by their days. */
export function comingAt(db: Db, scope: Scope, at: number): { items: Coming[]; left: Term[] } {
	const near = (t: number) => t > at - AROUND && t <= at + AROUND;
	const found: Coming[] = [];
	const people = recordsAt(db, at);
	for (const p of people.values()) {
		if (p.begins > 0 && near(p.begins)) {
			const then = recordThen(p, p.begins);
			found.push({
				...shown(p),
				kind: 'begins',
				at: p.begins,
				team: then.memberOf[0] ?? '',
				site: then.site,
				from: null
			});
		}
		if (p.ends < FOREVER && near(p.ends)) {
			const then = recordThen(p, lastDay(p));
			found.push({
				...shown(p),
				kind: 'ends',
				at: lastDay(p),
				team: then.memberOf[0] ?? '',
				site: then.site,
				from: null
			});
		}
		let before: Pick<Move, 'site' | 'memberOf'> = p;
		for (const m of p.moves) {
			const from = { team: before.memberOf[0] ?? '', site: before.site };
			if (near(m.at) && m.at < p.ends)
				found.push({ ...shown(p), kind: 'moves', at: m.at, team: m.memberOf[0] ?? '', site: m.site, from });
			before = m;
		}
	}
	found.push(...movedBefore(db, at, people));
	const above = teamsAbove(db);
	const narrowed = narrow(
		scope,
		found,
		{
			site: (c) => (c.from ? [c.site, c.from.site] : c.site),
			team: (c) => [c.team, c.from?.team ?? ''].flatMap((t) => above.get(t) ?? [t]),
			person: (c) => c.login
		},
		(c) => `${c.name} ${c.login}`
	);
	return { items: narrowed.items.sort((a, b) => a.at - b.at || a.name.localeCompare(b.name)), left: narrowed.left };
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

/** Those of a moment to come, gathered: alike, and on the same day. */
function gathered(items: readonly Coming[], at: number): [Coming, ...Coming[]][] {
	const groups = new Map<string, [Coming, ...Coming[]]>();
	for (const c of items) {
		if (c.at < at) continue;
		const key = [c.kind, c.at, c.team, c.site, c.from?.team, c.from?.site].join(' ');
		const own = groups.get(key);
		if (own) own.push(c);
		else groups.set(key, [c]);
	}
	return [...groups.values()].sort((a, b) => a[0]!.at - b[0]!.at);
}

/** Whoever begins, moves and ends from a moment on, with what each will find and what is missing; the next ones first. */
export function comingGroups(db: Db, items: readonly Coming[], at: number): ComingGroup[] {
	const groups = gathered(items, at).slice(0, GROUPS);
	if (groups.length === 0) return [];
	const say = saidBy(db);
	const look = mornings(db, at);
	return groups.map((g): ComingGroup => {
		const [c] = g;
		const place = (p: { team: string; site: string }) =>
			[p.team && say.team(p.team), say.site(p.site)].filter(Boolean).join(', ');
		return {
			key: `${c.kind} ${c.at} ${c.login}`,
			kind: c.kind,
			at: c.at,
			day: say.day(c.at, c.site),
			people: g.map(({ login, name }) => ({ login, name })),
			team: c.team && say.team(c.team),
			site: say.site(c.site),
			from: c.from && place(c.from),
			...look[c.kind](g)
		};
	});
}
