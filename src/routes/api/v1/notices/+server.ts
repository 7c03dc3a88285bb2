import { answer } from '$lib/server/api/problems';
import { run } from '$lib/server/db';
import { runtime } from '$lib/server/runtime';

/** Marks the caller's notices as seen. */
export const POST = ({ locals }) =>
	answer(() => {
		const { caller } = locals;
		if (caller?.kind === 'operator')
			run(runtime().db, 'UPDATE notices SET seen = 1 WHERE operator_id = ?', [caller.id]);
		return new Response(null, { status: 204 });
	});
