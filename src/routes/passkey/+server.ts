import { json } from '@sveltejs/kit';
import { problem, problemResponse } from '$lib/server/api/problems';
import { factorOwner } from '$lib/server/identity/factor';
import { doorstepOf, passkeyToAdd } from '$lib/server/identity/passkeys';
import { wholeRuntime } from '$lib/server/runtime';

/** What a browser needs to make a passkey for the operator who is signed in. */
export const GET = async ({ locals, url }) => {
	const caller = locals.caller!;
	const owner = factorOwner(caller);
	const door = doorstepOf(url);
	if (door === null || owner?.kind !== 'operator')
		return problemResponse(problem('refused', 'Passkeys need an address with a name, over TLS.'));
	return json(await passkeyToAdd(wholeRuntime().db, owner, caller, door));
};
