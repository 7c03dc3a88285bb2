import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { recomputePlan } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const POST = ({ params, locals }) =>
	answer(async () => json(await recomputePlan(runtime(), locals.caller!, Number(params.id))));
