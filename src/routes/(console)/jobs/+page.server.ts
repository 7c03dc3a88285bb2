import { recentJobs } from '$lib/server/jobs';
import { asKnown, lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db } = runtime();
	return { list: recentJobs(db, asKnown(lookOf(url, runtime())), 100) };
};
