import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { checkJoining } from '$lib/server/joining';
import { runtime } from '$lib/server/runtime';

/** Runs the checks for a place on its way, now. */
export const POST = ({ params }) =>
	answer(async () => json({ checks: await checkJoining(runtime(), Number(params.id)) }));
