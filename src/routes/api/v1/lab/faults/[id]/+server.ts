import { answer } from '$lib/server/api/problems';
import { NotFound } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const DELETE = ({ params }) =>
	answer(async () => {
		if (!(await runtime().bench?.clearFault(Number(params.id)))) throw new NotFound(`fault ${params.id}`);
		return new Response(null, { status: 204 });
	});
