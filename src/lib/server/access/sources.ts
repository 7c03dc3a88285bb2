import * as v from 'valibot';
import { facetValues, narrow } from '$lib/core/scope/scope';
import { DAY } from '$lib/core/time/units';
import { all } from '../db';
import { everybody, teamsByName } from '../directory';
import { moment, text } from '../lists/columns';
import { reportSource } from '../lists/sources';
import { grantsAt, publicationsAt } from '../publications';

/** What somebody has been given and has not opened. */
export const unusedAccess = reportSource({
	name: 'unused-access',
	words: 'Publications that somebody has been given and has not opened',
	overDays: true,
	asksWhy: false,
	need: { area: 'access', level: 'read' },
	row: v.strictObject({
		login: text,
		person: text,
		team: text,
		site: text,
		publication: text,
		publicationName: text,
		/** By which grant: to a team, or to them. */
		through: text,
		kind: v.picklist(['required', 'optional']),
		granted: moment,
		/** When they opened it last, as far as that is known. */
		last: v.nullable(moment)
	}),
	page(db, ask) {
		const { at, days } = ask;
		const found = narrow(
			ask.scope,
			everybody(db, at).filter((p) => p.begins <= at && p.ends > at),
			{
				site: (p) => p.site,
				team: (p) => p.teams,
				person: (p) => p.login,
				publication: () => facetValues(ask.scope, 'publication') ?? []
			},
			(p) => `${p.name} ${p.login}`
		);
		const wanted = facetValues(ask.scope, 'publication');
		const teams = new Map(teamsByName(db).map((t) => [t.id, t.name]));
		const last = new Map(
			all<{ person: number; publication: string; at: number }>(
				db,
				`SELECT person_id AS person, publication_id AS publication, max(ended) AS at FROM connections
				 WHERE began <= @at AND session_id IS NOT NULL GROUP BY person_id, publication_id`,
				{ at }
			).map((r) => [`${r.person} ${r.publication}`, Math.min(r.at, at)])
		);
		// What is opened in a browser alone is told of by its service: no connection says who has.
		const inside = new Set(publicationsAt(db, at).flatMap((p) => (p.reaches === null ? [] : [p.id])));
		const grants = grantsAt(db, at).filter(
			(g) => !inside.has(g.publication) && (!wanted || wanted.includes(g.publication))
		);
		const rows: Record<string, unknown>[] = [];
		let total = 0;
		for (const p of found.items) {
			const had = new Set<string>();
			for (const g of grants) {
				const theirs = g.toKind === 'team' ? p.teams.includes(g.toId) : g.toLogin === p.login;
				if (!theirs || had.has(g.publication)) continue;
				had.add(g.publication);
				const opened = last.get(`${p.id} ${g.publication}`) ?? null;
				if (opened !== null && opened > at - days * DAY) continue;
				if (total++ < ask.offset || rows.length >= ask.limit) continue;
				rows.push({
					login: p.login,
					person: p.name,
					team: teams.get(p.team) ?? p.team,
					site: p.site,
					publication: g.publication,
					publicationName: g.publicationName,
					through: g.toName,
					kind: g.kind,
					granted: g.since,
					last: opened
				});
			}
		}
		return { rows, total, left: found.left };
	}
});
