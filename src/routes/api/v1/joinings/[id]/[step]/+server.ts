import { json } from '@sveltejs/kit';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { saveAnswer } from '$lib/server/joining';
import { runtime } from '$lib/server/runtime';

/** Saves the answer to one question on the way to a joined place. */
export const POST = ({ params, request, locals }) =>
	answer(async () =>
		json(await saveAnswer(runtime(), Number(params.id), params.step, await bodyOf(request, null), locals.caller!.name))
	);
