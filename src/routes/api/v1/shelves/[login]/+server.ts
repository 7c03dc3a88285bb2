import { json } from '@sveltejs/kit';
import { askedOf } from '$lib/server/api/asked';
import { answer } from '$lib/server/api/problems';
import { NotFound } from '$lib/server/plans';
import { shelfOf } from '$lib/server/shelf';
import { runtime } from '$lib/server/runtime';

/** Somebody's shelf at a moment, past or to come. */
export const GET = ({ params, url }) =>
	answer(() => {
		const { db } = runtime();
		const { at } = askedOf(url, runtime());
		const rows = shelfOf(db, params.login, at, true);
		if (!rows) throw new NotFound(`person called ${params.login}`);
		return json({ at, rows });
	});
