import { json } from '@sveltejs/kit';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { beginBrought, broughtBody, captureById, capturesAt } from '$lib/server/packages';
import { parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

/** Captures, newest first. One on a machine of its own is begun by the plan `package.capture`. */
export const GET = () => answer(() => json({ rows: capturesAt(runtime().db, runtime().clock.now()) }));

/** Begins a capture whose inventories are brought along. */
export const POST = ({ request, locals }) =>
	answer(async () => {
		const { name } = parseInput(broughtBody, await bodyOf(request, null));
		const id = beginBrought(runtime(), locals.caller!.name, name);
		return json(captureById(runtime().db, id), { status: 201, headers: { location: `/api/v1/captures/${id}` } });
	});
