import { error } from '@sveltejs/kit';
import { packageNameFor } from '$lib/core/packages/spec';
import { teamsByName } from '$lib/server/directory';
import { earlierChoices, packageAt, sortedCapture } from '$lib/server/packages';
import { NotFound } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const load = async ({ params, depends }) => {
	depends('sextant:capture');
	const ctx = runtime();
	try {
		const capture = await sortedCapture(ctx, Number(params.capture));
		const name = packageNameFor(capture.installer?.replace(/-[\d.]+$/, '') ?? capture.name);
		const newest = packageAt(ctx.db, name, ctx.clock.now())?.versions.at(-1);
		return {
			capture,
			proposed: name,
			/** What the version before it was given: the next one begins with the same. */
			newest: newest
				? { number: newest.number, writes: newest.spec.writes, teams: newest.spec.teams, refusal: newest.spec.refusal }
				: null,
			earlier: earlierChoices(ctx.db, name, capture.id),
			teams: teamsByName(ctx.db)
		};
	} catch (e) {
		if (e instanceof NotFound) error(404, 'There is no such capture.');
		throw e;
	}
};
