import { json } from '@sveltejs/kit';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { choicesBody, saveChoices } from '$lib/server/packages';
import { parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

/** Keeps which branches and patterns go into the package; answers with what that comes to. */
export const POST = ({ params, request }) =>
	answer(async () => {
		const { choices } = parseInput(choicesBody, await bodyOf(request, null));
		return json(await saveChoices(runtime(), Number(params.id), choices));
	});
