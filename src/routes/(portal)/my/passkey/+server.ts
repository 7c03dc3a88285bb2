import { json } from '@sveltejs/kit';
import { problem, problemResponse } from '$lib/server/api/problems';
import { doorOf, passkeyToAdd, passkeyToShow } from '$lib/server/identity/passkeys';
import { runtime } from '$lib/server/runtime';

/** What a browser needs to make a passkey for whoever is signed in (`?for=add`), or to show one of theirs (`?for=show`). */
export const GET = async ({ locals, url }) => {
	const caller = locals.caller!;
	const { db } = runtime();
	const door = doorOf(db, url);
	if (door === null) return problemResponse(problem('refused', 'Passkeys need an address with a name, over TLS.'));
	return json(
		url.searchParams.get('for') === 'add'
			? await passkeyToAdd(db, { kind: 'person', id: caller.id }, caller, door)
			: await passkeyToShow(db, { kind: 'person', id: caller.id }, door)
	);
};
