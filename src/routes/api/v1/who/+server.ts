import { json } from '@sveltejs/kit';
import { matrixIn } from '$lib/server/access';
import { csvAnswer } from '$lib/server/api/csv';
import { answer } from '$lib/server/api/problems';
import { askedOf } from '$lib/server/api/asked';
import { runtime } from '$lib/server/runtime';

/** Who gets what, teams against publications: as rows, or as CSV (RFC 4180) with `format=csv`. */
export const GET = ({ url }) =>
	answer(() => {
		const { db } = runtime();
		const { scope, at } = askedOf(url, runtime());
		const { publications, teams } = matrixIn(db, scope, at);
		if (url.searchParams.get('format') !== 'csv') return json({ at, publications, teams });
		return csvAnswer(
			'who-gets-what',
			['team', 'above', 'people', ...publications.map((p) => p.name)],
			teams.map((t) => [t.name, t.depth, t.people, ...t.has])
		);
	});
