import { json } from '@sveltejs/kit';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { planBody } from '$lib/server/api/schemas';
import { draftPlan, openDrafts, parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const GET = () => answer(() => json({ rows: openDrafts(runtime().db) }));

export const POST = ({ request, locals }) =>
	answer(async () => {
		const { kind, input } = parseInput(planBody, await bodyOf(request));
		const caller = locals.caller!;
		const plan = await draftPlan(runtime(), caller, kind, input, caller.kind === 'token' ? 'api' : 'screen');
		return json(plan, { status: 201, headers: { location: `/api/v1/plans/${plan.id}` } });
	});
