import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { threadBody } from '$lib/server/api/schemas';
import { NotFound, parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

/** Ends a thread of Sextant, to see that it is started anew and that nothing is lost. */
export const POST = ({ request }) =>
	answer(async () => {
		const { bench, rehearse } = runtime();
		if (!bench || !rehearse) throw new NotFound('lab attached');
		rehearse(parseInput(threadBody, await bodyOf(request)).thread);
		return new Response(null, { status: 202 });
	});
