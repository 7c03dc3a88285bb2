import { may } from '$lib/core/access/rights';
import { changesBefore } from '$lib/server/changes';
import { asKnown, lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';

export const load = ({ url, depends, locals }) => {
	depends('sextant:live');
	const { db } = runtime();
	return {
		changes: changesBefore(db, asKnown(lookOf(url, runtime())), 200),
		/** Whoever is there for a part alone has no log that heads are of. */
		whole: locals.caller!.part === null,
		seesRecord: may(locals.caller!.rights, 'audit', 'read')
	};
};
