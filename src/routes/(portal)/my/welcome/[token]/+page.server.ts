import { fail, redirect, type Cookies } from '@sveltejs/kit';
import { isHere } from '$lib/core/people/record';
import { speakerOf } from '$lib/core/portal/say';
import { formOf } from '$lib/server/api/body';
import { personCalled } from '$lib/server/directory';
import { callerNow, noteOwn } from '$lib/server/identity/accounts';
import { beginFactor, confirmFactor, hasFactor } from '$lib/server/identity/factor';
import { invitationCalled, useInvitation } from '$lib/server/identity/invitations';
import { factorPicture } from '$lib/server/identity/picture';
import { comeIn } from '$lib/server/portal';
import { runtime } from '$lib/server/runtime';

/** Whom a link lets in, as long as it counts. */
function guest(token: string) {
	const { db, clock } = runtime();
	const now = clock.now();
	const invitation = invitationCalled(db, token);
	if (!invitation || invitation.usedAt !== null || invitation.endsAt <= now) return null;
	const caller = callerNow(db, 'person', invitation.person, now);
	const person = caller && personCalled(db, caller.login, now);
	if (!caller || !person || person.ends <= now) return null;
	return { invitation, caller, person, here: isHere(person, now), now };
}

const over = (locals: App.Locals) => fail(410, { problem: speakerOf(locals.language)('welcome.over-why') });

/** The link has done what it is for: somebody who has begun is signed in by it. */
function enter(
	g: NonNullable<ReturnType<typeof guest>>,
	factor: boolean,
	{ cookies, url, locals }: { cookies: Cookies; url: URL; locals: App.Locals }
) {
	const ctx = runtime();
	if (!useInvitation(ctx.db, g.invitation.id, g.now)) return over(locals);
	noteOwn(ctx, g.caller, 'person.invited', `${g.caller.name} has come in by the link that they were sent`);
	if (!g.here) return { done: true };
	comeIn(ctx, cookies, url, g.person, { factor, own: false });
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
			begins: here ? null : person.begins,
			zone: person.zone,
			factor: hasFactor(db, { kind: 'person', id: caller.id })
		}
	};
};

export const actions = {
	factor: async ({ params, locals }) => {
		const g = guest(params.token);
		if (!g) return over(locals);
		const { secret, uri } = beginFactor(runtime(), { kind: 'person', id: g.caller.id }, g.caller.login);
		return { factor: { secret, picture: await factorPicture(uri) } };
	},
	confirm: async ({ params, request, cookies, url, locals }) => {
		const g = guest(params.token);
		if (!g) return over(locals);
		const code = (await formOf(request)).get('code');
		if (!confirmFactor(runtime(), { kind: 'person', id: g.caller.id }, code))
			return fail(422, { problem: speakerOf(locals.language)('problem.set-up-code') });
		return enter(g, true, { cookies, url, locals });
	},
	enter: ({ params, cookies, url, locals }) => {
		const g = guest(params.token);
		if (!g) return over(locals);
		// Before their first day there is nothing to come in to: the link waits.
		if (!g.here) return fail(422, { problem: speakerOf(locals.language)('welcome.not-yet') });
		return enter(g, false, { cookies, url, locals });
	}
};
