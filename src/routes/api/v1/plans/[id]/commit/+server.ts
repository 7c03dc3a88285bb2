import { json } from '@sveltejs/kit';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { commitBody } from '$lib/server/api/schemas';
import { commitPlan, parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const POST = ({ params, request, locals }) =>
	answer(async () => {
		const { at } = parseInput(commitBody, await bodyOf(request, {}));
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
