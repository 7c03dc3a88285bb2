import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { cardOf } from '$lib/server/house/cards';
import { LISTS } from '$lib/server/house/lists';
import { askedOf } from '$lib/server/api/asked';
import { asKnown } from '$lib/server/moment';
import { NotFound } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';
import { EVERYTHING } from '$lib/core/scope/scope';

export const GET = ({ params, url }) =>
	answer(async () => {
		const context = runtime();
		const kind = LISTS.get(params.kind);
		if (!kind) throw new NotFound(`kind called ${params.kind}`);
		const look = askedOf(url, context);
		const at = asKnown(look);
		if (kind.card) {
			const found = await cardOf(context, kind.card, params.id, { at, live: look.live });
			if (found) return json({ at, ...found });
		} else {
			const row = kind
				.page(context.db, {
					at,
					scope: EVERYTHING,
					sort: '',
					descending: false,
					limit: Number.MAX_SAFE_INTEGER,
					offset: 0
				})
				.rows.find((r) => kind.idOf(r) === params.id);
			if (row) return json({ at, facts: kind.why?.(context.db, row, at) ?? [], ...row });
		}
		throw new NotFound(`${kind.card ?? kind.name.slice(0, -1)} called ${params.id}`);
	});
