import { unusedTerms } from '$lib/core/scope/scope';
import { teamsByName } from '$lib/server/directory';
import { endpointById, endpointsView } from '$lib/server/endpoints';
import { sitesOf } from '$lib/server/estate';
import { sharedLoad } from '$lib/server/load';
import { parcel } from '$lib/ui/frame/parcel';

/** Rows that the page brings along; the list asks for the rest. */
const FIRST = 100;

export const load = sharedLoad(({ url, context, look, at }) => {
	const { db } = context;
	const view = endpointsView(db, look.scope, at);
	const sort = url.searchParams.get('sort') ?? 'name';
	const making = look.live ? url.searchParams.get('make') : null;
	const edit = url.searchParams.get('edit');
	const moving = making === 'move' && /^\d{1,15}$/.test(edit ?? '') ? endpointById(db, Number(edit), at) : null;
	return {
		...view,
		at,
		sort,
		list: url.searchParams.get('list') === 'devices' ? ('devices' as const) : ('rules' as const),
		left: unusedTerms(view.left),
		rows: parcel(view.rows.slice(0, FIRST)),
		make: making,
		edit,
		/** The one that is moved. */
		moving: moving && { id: moving.id, name: moving.name, branch: moving.branch },
		sites: making === null ? [] : sitesOf(db),
		teams: making === null ? [] : teamsByName(db)
	};
});
