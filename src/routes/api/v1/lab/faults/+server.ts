import { json } from '@sveltejs/kit';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { faultBody } from '$lib/server/api/schemas';
import { NotFound, parseInput } from '$lib/server/plans';
import { InputProblem } from '$lib/server/plans/kind';
import { ProviderError } from '$lib/server/providers';
import { runtime } from '$lib/server/runtime';

const bench = () => {
	const { bench } = runtime();
	if (!bench) throw new NotFound('lab attached');
	return bench;
};

export const GET = () => answer(async () => json({ rows: await bench().faults() }));

export const POST = ({ request }) =>
	answer(async () => {
		const { kind, target, value } = parseInput(faultBody, await bodyOf(request));
		try {
			return json({ id: await bench().addFault(kind, target, value) }, { status: 201 });
		} catch (e) {
			if (e instanceof ProviderError) throw new InputProblem([{ field: 'target', words: e.message }]);
			throw e;
		}
	});
