import { json } from '@sveltejs/kit';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { clockBody } from '$lib/server/api/schemas';
import { NotFound, parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

const bench = () => {
	const { bench } = runtime();
	if (!bench) throw new NotFound('lab attached');
	return bench;
};

export const GET = () => answer(async () => json(await bench().clock()));

export const POST = ({ request }) =>
	answer(async () => {
		const { step, ...rest } = parseInput(clockBody, await bodyOf(request));
		return json(await bench().setClock({ ...rest, ...(step === undefined ? {} : { step: step * 1000 }) }));
	});
