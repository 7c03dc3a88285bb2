import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { reasonsOf } from '$lib/server/api/reasons';
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
			facts: reasonsOf(db, 'jobs', { ...job }, clock.now()),
			steps: stepsOf(db, id),
			failed: failedItems(db, id),
			log: logOf(db, id)
		});
	});
