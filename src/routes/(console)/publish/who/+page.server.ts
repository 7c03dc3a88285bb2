import { matrixIn, whyCell } from '$lib/server/access';
import { sharedLoad } from '$lib/server/load';

export const load = sharedLoad(({ url, context, look }) => {
	const { db } = context;
	const { scope, at } = look;
	const view = matrixIn(db, scope, at);
	const [team, publication] = (url.searchParams.get('cell') ?? '').split('/');
	const asked =
		team && view.teams.some((t) => t.id === team) && view.publications.some((p) => p.id === publication)
			? { team, publication: publication!, ...whyCell(db, at, team, publication!) }
			: null;
	return { ...view, cell: asked };
});
