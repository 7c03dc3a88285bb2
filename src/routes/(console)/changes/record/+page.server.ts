import { entriesBefore } from '$lib/server/record';
import { asKnown, lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';

/** Entries that a page shows. */
const SHOWN = 200;

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db } = runtime();
	return { entries: entriesBefore(db, asKnown(lookOf(url, runtime())), SHOWN), shown: SHOWN };
};
