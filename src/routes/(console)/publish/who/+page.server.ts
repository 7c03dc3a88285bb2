import { narrow, unusedTerms } from '$lib/core/scope/scope';
import { teamsAbove } from '$lib/server/access/circumstances';
import { matrixAt, whyCell } from '$lib/server/access/matrix';
import { asKnown, lookOf } from '$lib/server/moment';
import { publishingAt } from '$lib/server/publishing/narrowed';
import { runtime } from '$lib/server/runtime';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db, clock } = runtime();
	const look = lookOf(url, clock);
	const at = asKnown(look);
	const { publications, left } = publishingAt(db, look.scope, at);
	const m = matrixAt(
		db,
		at,
		publications.map((p) => p.id)
	);
	const above = teamsAbove(db);
	const rows = m.teams.map((t, row) => ({ ...t, row }));
	const asksTeam = look.scope.terms.some((t) => t.type === 'facet' && t.facet === 'team');
	const teams = narrow(look.scope, rows, { team: (t) => above.get(t.id) ?? [] }, (t) => t.name);
	const width = publications.length;
	const [team, publication] = (url.searchParams.get('cell') ?? '').split('/');
	const asked =
		team && publication && rows.some((t) => t.id === team) && publications.some((p) => p.id === publication)
			? { team, publication, ...whyCell(db, at, team, publication) }
			: null;
	return {
		left: unusedTerms(left[1], teams.left),
		publications: publications.map((p, i) => ({
			id: p.id,
			name: p.internalName,
			shown: p.name,
			people: m.totals[i]!
		})),
		teams: (asksTeam ? teams.items : rows).map((t) => ({
			id: t.id,
			name: t.name,
			depth: t.depth,
			people: t.people,
			has: [...m.has.subarray(t.row * width, (t.row + 1) * width)],
			now: [...m.now.subarray(t.row * width, (t.row + 1) * width)],
			required: [...m.required.subarray(t.row * width, (t.row + 1) * width)]
		})),
		cell: asked
	};
};
