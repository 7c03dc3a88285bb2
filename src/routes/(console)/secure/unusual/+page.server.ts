import { ASPECTS } from '$lib/core/activity/unusual';
import { narrow, unusedTerms } from '$lib/core/scope/scope';
import { aspectWords, rightSoFar, unusualAt } from '$lib/server/activity';
import { everybody, teamsByName } from '$lib/server/directory';
import { asKnown, lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';

/** So much of what was found is looked through, and so much of it is shown. */
const MOST = 2000;
const SHOWN = 60;

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db } = runtime();
	const look = lookOf(url, runtime());
	const at = asKnown(look);
	const teams = new Map(everybody(db, at).map((p) => [p.login, p.teams]));
	const names = new Map(teamsByName(db).map((t) => [t.id, t.name]));
	const all = unusualAt(db, at, MOST);
	const { items, left } = narrow(
		look.scope,
		all,
		{ site: (u) => u.site, team: (u) => teams.get(u.login) ?? [], person: (u) => u.login },
		(u) => `${u.name} ${u.login}`
	);
	const right = rightSoFar(db, at);
	const open = items.filter((u) => u.answer === null).length;
	const answered = url.searchParams.get('answered') !== null;
	const wanted = items.filter((u) => (u.answer !== null) === answered);
	return {
		at,
		left: unusedTerms(left),
		answered,
		open,
		done: items.length - open,
		more: Math.max(0, wanted.length - SHOWN),
		found: wanted.slice(0, SHOWN).map((u) => ({
			...u,
			teamName: names.get(u.team) ?? u.team,
			aspects: u.aspects.map((a) => ({ ...a, called: aspectWords(a.aspect) }))
		})),
		right: ASPECTS.map((a) => ({ aspect: a, called: aspectWords(a), ...right.counts.get(a)! }))
	};
};
