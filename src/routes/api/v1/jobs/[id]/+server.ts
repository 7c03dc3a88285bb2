import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { LISTS } from '$lib/server/house/lists';
import { failedItems, jobById, logOf, stepsOf } from '$lib/server/jobs';
import { NotFound } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const GET = ({ params }) =>
	answer(() => {
		const { db, clock } = runtime();
		const id = Number(params.id);
		const job = jobById(db, id, clock.now());
		if (!job) throw new NotFound(`job ${params.id}`);
		return json({
			...job,
			facts: LISTS.get('jobs')!.why!(db, { ...job }, clock.now()),
			steps: stepsOf(db, id),
			failed: failedItems(db, id),
			log: logOf(db, id)
		});
	});
