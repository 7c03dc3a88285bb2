import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { NotFound } from '$lib/server/plans';
import { shelfOf } from '$lib/server/shelf/queries';
import { runtime } from '$lib/server/runtime';

/** Somebody's shelf at a moment, past or to come. */
export const GET = ({ params, url }) =>
	answer(() => {
		const { db, clock } = runtime();
		const asked = Number(url.searchParams.get('at'));
		const at = Number.isFinite(asked) && asked > 0 ? asked : clock.now();
		const rows = shelfOf(db, params.login, at, true);
		if (!rows) throw new NotFound(`person called ${params.login}`);
		return json({ at, rows });
	});
