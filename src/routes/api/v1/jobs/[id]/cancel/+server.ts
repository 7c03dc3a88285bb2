import { answer } from '$lib/server/api/problems';
import { cancelJob } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const POST = ({ params, locals }) =>
	answer(() => {
		const context = runtime();
		cancelJob(context, locals.caller!, Number(params.id));
		context.wake();
		return new Response(null, { status: 202 });
	});
