import { json } from '@sveltejs/kit';
import * as v from 'valibot';
import { may } from '$lib/core/access/rights';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { typeAtConsole } from '$lib/server/images';
import { NotAllowed, parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

const body = v.strictObject({ text: v.pipe(v.string(), v.maxLength(2000, 'At most 2,000 characters.')) });

/** Types a line at the console of a line's reference machine. What it does is kept, and becomes a version only by a plan. */
export const POST = ({ params, request, locals }) =>
	answer(async () => {
		const { caller } = locals;
		if (!caller || !may(caller.role, 'images', 'commit'))
			throw new NotAllowed('Only builders and owners may work on reference machines.');
		const { text } = parseInput(body, await bodyOf(request, null));
		return json({ printed: await typeAtConsole(runtime(), params.line, text, caller.name) });
	});
