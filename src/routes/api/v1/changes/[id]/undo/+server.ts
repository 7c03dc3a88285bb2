import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { draftUndo } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const POST = ({ params, locals }) =>
	answer(async () => {
		const caller = locals.caller!;
		const plan = await draftUndo(runtime(), caller, Number(params.id), caller.kind === 'token' ? 'api' : 'screen');
		return json(plan, { status: 201 });
	});
