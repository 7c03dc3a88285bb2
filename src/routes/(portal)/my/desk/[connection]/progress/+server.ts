import { json } from '@sveltejs/kit';
import { waysThrough } from '$lib/server/portal';
import { runtime } from '$lib/server/runtime';
import { isNamedAcross } from '$lib/server/settings';
import { windowsIn } from '$lib/server/shelf';

/** How far a person's own connection has come, and which apps are open in it. */
export const GET = async ({ params, locals }) => {
	const { providers, db, clock } = runtime();
	const progress = await providers.broker.connection(Number(params.connection));
	if (!progress || progress.person !== locals.caller!.login) return json(null, { status: 404 });
	const now = clock.now();
	const across = progress.machine !== null && isNamedAcross(db, progress.person, progress.machine, now);
	const ways = await waysThrough(runtime(), locals.caller!.id, progress.id);
	return json({ ...progress, now, windows: windowsIn(db, progress.session, now), across, ways });
};
