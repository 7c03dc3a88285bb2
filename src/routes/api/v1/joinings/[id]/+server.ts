import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { endJoining, joiningOf } from '$lib/server/joining';
import { runtime } from '$lib/server/runtime';

export const GET = ({ params }) => answer(async () => json(await joiningOf(runtime(), Number(params.id))));

export const DELETE = ({ params }) =>
	answer(() => {
		endJoining(runtime().db, Number(params.id), 'given up', runtime().clock.now());
		return new Response(null, { status: 204 });
	});
