import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { sortedCapture } from '$lib/server/packages';
import { runtime } from '$lib/server/runtime';

/** One capture: how it was sorted, what is taken by now, and what that can start. */
export const GET = ({ params }) => answer(async () => json(await sortedCapture(runtime(), Number(params.id))));
