import { json } from '@sveltejs/kit';
import * as v from 'valibot';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { beginJoining, joiningOf, joiningsAt } from '$lib/server/joining';
import { parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

const body = v.strictObject({ site: v.optional(v.nullable(v.string()), null) });

/** Places on their way to being joined up. */
export const GET = () => answer(() => json({ rows: joiningsAt(runtime().db, runtime().clock.now()) }));

/** Begins to join up a place, or with `site` to change how one is reached. The place itself is made by a plan. */
export const POST = ({ request, locals }) =>
	answer(async () => {
		const { site } = parseInput(body, await bodyOf(request, {}));
		const id = beginJoining(runtime(), locals.caller!.name, site);
		return json(await joiningOf(runtime(), id), { status: 201, headers: { location: `/api/v1/joinings/${id}` } });
	});
