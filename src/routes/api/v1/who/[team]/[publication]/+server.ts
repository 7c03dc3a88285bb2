import { json } from '@sveltejs/kit';
import { whyCell } from '$lib/server/access';
import { answer } from '$lib/server/api/problems';
import { askedOf } from '$lib/server/api/asked';
import { one } from '$lib/server/db';
import { NotFound } from '$lib/server/plans';
import { publicationsAt } from '$lib/server/publications';
import { runtime } from '$lib/server/runtime';

/** Why a team has a publication, or has it not. */
export const GET = ({ params, url }) =>
	answer(() => {
		const { db } = runtime();
		const { at } = askedOf(url, runtime());
		const { team, publication } = params;
		if (!one(db, 'SELECT 1 FROM teams WHERE id = ?', [team])) throw new NotFound(`team called ${team}`);
		if (!publicationsAt(db, at).some((p) => p.id === publication))
			throw new NotFound(`publication called ${publication}`);
		return json(whyCell(db, at, team, publication));
	});
