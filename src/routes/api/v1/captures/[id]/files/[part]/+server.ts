import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { takePart } from '$lib/server/packages';
import { runtime } from '$lib/server/runtime';

/** Takes in one part of a capture: an inventory (`before`, `after`, `idle-1`, `idle-2`), or the `folder` as a tar. */
export const POST = ({ params, request }) =>
	answer(async () => json(await takePart(runtime(), Number(params.id), params.part, request.body), { status: 201 }));
