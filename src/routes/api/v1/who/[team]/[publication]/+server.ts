import { json } from '@sveltejs/kit';
import { whyCell } from '$lib/server/access/matrix';
import { answer } from '$lib/server/api/problems';
import { lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';

/** Why a team has a publication, or has it not. */
export const GET = ({ params, url }) =>
	answer(() => {
		const { db, clock } = runtime();
		return json(whyCell(db, lookOf(url, clock).at, params.team, params.publication));
	});
