import { error } from '@sveltejs/kit';
import { may } from '$lib/core/access/rights';
import { changeOfJob } from '$lib/server/changes';
import { failedItems, jobById, logOf, stepsOf } from '$lib/server/jobs';
import { planById } from '$lib/server/plans';
import { planKindOf } from '$lib/server/plans/catalogue';
import { runtime } from '$lib/server/runtime';

export const load = ({ params, depends, locals }) => {
	depends('sextant:live');
	const { db, clock } = runtime();
	const id = Number(params.id);
	const job = jobById(db, id, clock.now());
	if (!job) error(404, `There is no job ${params.id}.`);
	const plan = planById(db, job.planId)!;
	const change = changeOfJob(db, id);
	return {
		job,
		steps: stepsOf(db, id),
		failed: failedItems(db, id),
		log: logOf(db, id),
		undo: job.state === 'done' ? plan.undo : null,
		undoWords: plan.undoWords,
		change,
		mayCancel: may(locals.caller!.rights, planKindOf(job.kind)!.area, 'commit')
	};
};
