import { json } from '@sveltejs/kit';
import { runtime } from '$lib/server/runtime';

/** How far a person's own connection has come. */
export const GET = async ({ params, locals }) => {
	const progress = await runtime().providers.broker.connection(Number(params.connection));
	if (!progress || progress.person !== locals.caller!.login) return json(null, { status: 404 });
	return json({ ...progress, now: runtime().clock.now() });
};
