import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { discardPlan, NotFound, planById } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const GET = ({ params }) =>
	answer(() => {
		const plan = planById(runtime().db, Number(params.id));
		if (!plan) throw new NotFound(`plan ${params.id}`);
		return json(plan);
	});

export const DELETE = ({ params, locals }) =>
	answer(() => {
		discardPlan(runtime(), locals.caller!, Number(params.id));
		return new Response(null, { status: 204 });
	});
