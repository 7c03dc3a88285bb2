import { matrixIn, whyCell } from '$lib/server/access/matrix';
import { lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db } = runtime();
	const { scope, at } = lookOf(url, runtime());
	const view = matrixIn(db, scope, at);
	const [team, publication] = (url.searchParams.get('cell') ?? '').split('/');
	const asked =
		team && view.teams.some((t) => t.id === team) && view.publications.some((p) => p.id === publication)
			? { team, publication: publication!, ...whyCell(db, at, team, publication!) }
			: null;
	return { ...view, cell: asked };
};
