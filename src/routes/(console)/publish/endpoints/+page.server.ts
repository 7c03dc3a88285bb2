import { unusedTerms } from '$lib/core/scope/scope';
import { teamsByName } from '$lib/server/directory';
import { comingView, endpointById, endpoints, endpointsView, firmwareView } from '$lib/server/endpoints';
import { sitesOf } from '$lib/server/estate';
import { sharedLoad } from '$lib/server/load';
import { parcel } from '$lib/ui/frame/parcel';

/** Rows that the page brings along; the list asks for the rest. */
const FIRST = 100;
const LISTS = ['rules', 'devices', 'firmware', 'announced'] as const;

export const load = sharedLoad(async ({ url, context, look, at }) => {
	const { db } = context;
	const view = endpointsView(db, look.scope, at);
	const list = LISTS.find((l) => l === url.searchParams.get('list')) ?? 'rules';
	const sort = url.searchParams.get('sort') ?? (list === 'announced' ? 'id' : 'name');
	const ask = {
		at,
		scope: look.scope,
		sort: sort.replace(/^-/, ''),
		descending: sort.startsWith('-'),
		limit: FIRST,
		offset: 0
	};
	const making = look.live ? url.searchParams.get('make') : null;
	const edit = url.searchParams.get('edit');
	const moving =
		(making === 'move' || making === 'shut' || making === 'keep') && /^\d{1,15}$/.test(edit ?? '')
			? endpointById(db, Number(edit), at)
			: null;
	return {
		...view,
		at,
		sort,
		list,
		left: unusedTerms(view.left),
		rows: parcel(list === 'devices' ? endpoints.page(db, ask).rows : []),
		coming:
			list === 'announced' || ['announce', 'admit', 'call', 'networks'].includes(making ?? '')
				? comingView(db, ask)
				: null,
		firmware: list === 'firmware' ? firmwareView(db, ask) : null,
		versions: making === 'firmware' ? await context.providers.endpoints.firmware() : [],
		make: making,
		edit,
		/** The one that is moved, shut out, or kept for somebody. */
		moving: moving && { id: moving.id, name: moving.name, branch: moving.branch },
		sites: making === null ? [] : sitesOf(db),
		teams: making === null ? [] : teamsByName(db)
	};
});
