import { error } from '@sveltejs/kit';
import { all, setting } from '$lib/server/db';
import { homeZone } from '$lib/server/capacity';
import { joiningOf, stepsOf } from '$lib/server/joining';
import { FOREVER } from '$lib/core/time/units';
import { NotFound } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const load = async ({ params, depends }) => {
	depends('sextant:joining');
	const ctx = runtime();
	const { db } = ctx;
	try {
		const joining = await joiningOf(ctx, Number(params.joining));
		return {
			joining,
			steps: stepsOf(joining.site),
			over: joining.until !== FOREVER,
			home: setting(db, 'home') ?? '',
			domain: setting(db, 'domain') ?? '',
			homeZone: homeZone(db),
			folders: all<{ name: string }>(db, 'SELECT name FROM folders ORDER BY name').map((f) => f.name),
			sites: all<{ id: string; name: string }>(db, 'SELECT id, name FROM sites ORDER BY position')
		};
	} catch (e) {
		if (e instanceof NotFound) error(404, 'There is no such joining.');
		throw e;
	}
};
