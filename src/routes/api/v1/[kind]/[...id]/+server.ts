import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { reasonsOf } from '$lib/server/api/reasons';
import { CARD_OF, KINDS, type Kind } from '$lib/server/api/kinds';
import { listOf } from '$lib/server/api/lists';
import { cardOf } from '$lib/server/house/cards';
import { askedOf } from '$lib/server/api/asked';
import { asKnown } from '$lib/server/moment';
import { NotFound } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';
import { EVERYTHING } from '$lib/core/scope/scope';

export const GET = ({ params, url }) =>
	answer(async () => {
		const context = runtime();
		if (!(KINDS as readonly string[]).includes(params.kind)) throw new NotFound(`kind called ${params.kind}`);
		const kind = params.kind as Kind;
		const look = askedOf(url, context);
		const at = asKnown(look);
		const card = CARD_OF[kind];
		if (card) {
			const found = await cardOf(context, card, params.id, { at, live: look.live });
			if (found) return json({ at, ...found });
		} else {
			const row = listOf(context.db, kind, {
				at,
				scope: EVERYTHING,
				sort: '',
				descending: false,
				limit: Number.MAX_SAFE_INTEGER,
				offset: 0
			}).rows.find((r) => String(r.id ?? r.machine) === params.id);
			if (row) return json({ at, facts: reasonsOf(context.db, kind, row, at), ...row });
		}
		throw new NotFound(`${card ?? kind.slice(0, -1)} called ${params.id}`);
	});
