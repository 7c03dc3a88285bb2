import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { InputProblem } from '$lib/server/plans/kind';
import { keepIcon } from '$lib/server/publications';
import { runtime } from '$lib/server/runtime';

/** Takes a picture up, to be named in a publication. */
export const POST = ({ request }) =>
	answer(async () => {
		const kept = keepIcon(runtime().db, new Uint8Array(await request.arrayBuffer()));
		if ('problem' in kept) throw new InputProblem([{ field: 'icon', words: kept.problem }]);
		return json(kept, { status: 201 });
	});
