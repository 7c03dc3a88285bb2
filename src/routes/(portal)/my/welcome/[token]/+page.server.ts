import { fail, redirect, type Cookies } from '@sveltejs/kit';
import { isHere, lastDay } from '$lib/core/people/record';
import { dayWords } from '$lib/core/time/zone';
import { formOf } from '$lib/server/api/body';
import { personCalled } from '$lib/server/directory';
import { callerNow, noteOwn, signInPerson } from '$lib/server/identity/accounts';
import { cookieOf } from '$lib/server/identity/cookies';
import { beginFactor, confirmFactor, hasFactor } from '$lib/server/identity/factor';
import { invitationCalled, useInvitation } from '$lib/server/identity/invitations';
import { factorPicture } from '$lib/server/identity/picture';
import { runtime } from '$lib/server/runtime';

/** Whom a link lets in, as long as it counts. */
function guest(token: string) {
	const { db, clock } = runtime();
	const now = clock.now();
	const invitation = invitationCalled(db, token);
	if (!invitation || invitation.usedAt !== null || invitation.endsAt <= now) return null;
	const caller = callerNow(db, 'person', invitation.person);
	const person = caller && personCalled(db, caller.login, now);
	if (!caller || !person || person.ends <= now) return null;
	return { invitation, caller, person, here: isHere(person, now), now };
}

const OVER = { problem: 'This link has been used, or its time is over. Ask whoever sent it for another one.' };

/** The link has done what it is for: somebody who has begun is signed in by it. */
function comeIn(g: NonNullable<ReturnType<typeof guest>>, factor: boolean, cookies: Cookies, url: URL) {
	const ctx = runtime();
	if (!useInvitation(ctx.db, g.invitation.id, g.now)) return fail(410, OVER);
	noteOwn(ctx, g.caller, 'person.invited', `${g.caller.name} has come in by the link that they were sent`);
	if (!g.here) return { done: true };
	cookies.set('sextant-my', signInPerson(ctx.db, g.caller.id, factor), cookieOf(url));
	redirect(303, '/my');
}

export const load = ({ params, setHeaders }) => {
	// A link like this is nobody else's: it is kept nowhere, and told to nobody.
	setHeaders({ 'cache-control': 'no-store', 'referrer-policy': 'no-referrer' });
	const { db } = runtime();
	const g = guest(params.token);
	if (!g) return { guest: null };
	const { person, here, caller } = g;
	return {
		guest: {
			name: person.name,
			login: person.login,
			begins: here ? null : dayWords(person.zone, person.begins),
			until: person.ends < Number.MAX_SAFE_INTEGER ? dayWords(person.zone, lastDay(person)) : null,
			factor: hasFactor(db, { kind: 'person', id: caller.id })
		}
	};
};

export const actions = {
	factor: async ({ params }) => {
		const g = guest(params.token);
		if (!g) return fail(410, OVER);
		const { secret, uri } = beginFactor(runtime(), { kind: 'person', id: g.caller.id }, g.caller.login);
		return { factor: { secret, picture: await factorPicture(uri) } };
	},
	confirm: async ({ params, request, cookies, url }) => {
		const g = guest(params.token);
		if (!g) return fail(410, OVER);
		const code = (await formOf(request)).get('code');
		if (!confirmFactor(runtime(), { kind: 'person', id: g.caller.id }, code))
			return fail(422, { problem: 'This is not the code of this moment. Begin again, and give the newest one.' });
		return comeIn(g, true, cookies, url);
	},
	enter: ({ params, cookies, url }) => {
		const g = guest(params.token);
		if (!g) return fail(410, OVER);
		// Before their first day there is nothing to come in to: the link waits.
		if (!g.here)
			return fail(422, { problem: 'Your first day has not come. Set up your second factor now, or come back then.' });
		return comeIn(g, false, cookies, url);
	}
};
