import { fail, redirect } from '@sveltejs/kit';
import { MINUTE } from '$lib/core/time/units';
import { callerNow, signInByPasskey } from '$lib/server/identity/accounts';
import { Rate } from '$lib/server/identity/attempts';
import { browserOf } from '$lib/server/identity/browser';
import { putCookie } from '$lib/server/identity/cookies';
import { COOKIES } from '$lib/server/identity/presented';
import { ownPath } from '$lib/server/identity/own-path';
import { doorstepOf, passkeyToShow, showPasskey } from '$lib/server/identity/passkeys';
import { note } from '$lib/server/record';
import { runtime } from '$lib/server/runtime';

const ANYONE = { kind: 'operator', id: null } as const;
/** Attempts from one address. */
const COMES = new Rate(30, MINUTE);

export const load = async ({ url, locals }) => {
	if (locals.caller && locals.caller.role !== 'person') redirect(303, ownPath(url.searchParams.get('to')));
	const door = doorstepOf(url);
	return { options: door && (await passkeyToShow(runtime().db, ANYONE, door)) };
};

export const actions = {
	default: async ({ request, url, cookies, getClientAddress }) => {
		const { db, clock } = runtime();
		const answer = (await request.formData()).get('answer');
		const door = doorstepOf(url);
		if (door === null) return fail(403, { problem: 'Passkeys need an address with a name, over TLS.' });
		if (!COMES.take(getClientAddress())) return fail(429, { problem: 'Too many attempts. Wait a minute.' });
		if (typeof answer !== 'string' || answer === '') return fail(400, { problem: 'No passkey was shown.' });
		const now = clock.now();
		const shown = await showPasskey(db, ANYONE, door, { answer, at: now });
		const caller = shown.ok ? callerNow(db, 'operator', shown.id, now) : null;
		note(db, now, {
			kind: 'sign-in',
			who: caller?.name ?? 'somebody with a passkey',
			role: caller?.role ?? '',
			words: caller ? 'signed in by passkey' : shown.ok ? 'has no role now' : 'a passkey that does not count here',
			address: getClientAddress(),
			good: caller !== null
		});
		if (!shown.ok) return fail(400, { problem: 'This passkey does not count here, or it took too long. Try again.' });
		if (!caller)
			return fail(403, { problem: 'You have no role here now: it has ended, or was taken from you. Ask an owner.' });
		const token = signInByPasskey(db, shown.id, { address: getClientAddress(), browser: browserOf(request) });
		putCookie(cookies, url, COOKIES.console, token);
		redirect(303, ownPath(url.searchParams.get('to')));
	}
};
