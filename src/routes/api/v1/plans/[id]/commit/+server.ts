import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { commitBody } from '$lib/server/api/schemas';
import { commitPlan, parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const POST = ({ params, request, locals }) =>
	answer(async () => {
		const text = await request.text();
		const { at } = parseInput(commitBody, text ? JSON.parse(text) : {});
		const caller = locals.caller!;
		const context = runtime();
		const job = await commitPlan(
			context,
			caller,
			Number(params.id),
			at ?? null,
			caller.kind === 'token' ? 'api' : 'screen'
		);
		context.wake();
		return json({ job }, { status: 202, headers: { location: `/api/v1/jobs/${job}` } });
	});
