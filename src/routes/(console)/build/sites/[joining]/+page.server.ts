import { error } from '@sveltejs/kit';
import { setting } from '$lib/server/db';
import { foldersOf, sitesOf } from '$lib/server/estate';
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
			folders: foldersOf(db),
			sites: sitesOf(db)
		};
	} catch (e) {
		if (e instanceof NotFound) error(404, 'There is no such joining.');
		throw e;
	}
};
