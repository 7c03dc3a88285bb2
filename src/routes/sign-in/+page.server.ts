import { fail, redirect } from '@sveltejs/kit';
import { formOf } from '$lib/server/api/body';
import { anyOperator, callerOfSignIn, signInOperator } from '$lib/server/identity/accounts';
import { cookieIn, DEVICE_DAYS, putCookie } from '$lib/server/identity/cookies';
import { COOKIES } from '$lib/server/identity/presented';
import { ownPath } from '$lib/server/identity/own-path';
import { nobodyYet } from '$lib/server/first';
import { note } from '$lib/server/record';
import { browserOf } from '$lib/server/identity/browser';
import { runtime } from '$lib/server/runtime';

/** What a browser keeps so that nobody who guesses elsewhere holds it up. */
const KNOWN_DEVICE = 'sextant-device';

export const load = ({ locals, url }) => {
	if (locals.caller && locals.caller.role !== 'person') redirect(303, ownPath(url.searchParams.get('to')));
	const { db, demo } = runtime();
	if (!anyOperator(db)) redirect(303, '/welcome');
	return { demo };
};

/** Where nobody has ever been at work, whoever signs in begins with the way there, unless they came for something else. */
function beginning(path: string): string {
	const { db, clock } = runtime();
	return path === '/' && nobodyYet(db, clock.now()) ? '/first' : path;
}

export const actions = {
	default: async ({ request, cookies, url, getClientAddress }) => {
		const form = await formOf(request);
		const login = form.get('login').trim().toLowerCase();
		const [password, code, ticket] = [form.get('password'), form.get('code').trim(), form.get('ticket')];
		const errors: Record<string, string> = {};
		if (!login) errors.login = 'Write your login.';
		if (!password && !ticket) errors.password = 'Write your password.';
		if (Object.keys(errors).length) return fail(400, { login, errors, ticket: '' });
		const log = (words: string, good: boolean, role = '', who = login) =>
			note(runtime().db, runtime().clock.now(), {
				kind: 'sign-in',
				who,
				role,
				words,
				address: getClientAddress(),
				good
			});
		const answer = await signInOperator(runtime(), {
			login,
			password,
			code,
			ticket,
			address: getClientAddress(),
			device: cookieIn(cookies, url, KNOWN_DEVICE),
			browser: browserOf(request)
		});
		switch (answer.outcome) {
			case 'in': {
				const caller = callerOfSignIn(runtime().db, answer.token, false, runtime().clock.now());
				log(caller ? 'signed in' : 'has no role now', caller !== null, caller?.role, caller?.name);
				// Whoever is there for nothing has come to the right door, and it is shut.
				if (!caller)
					return fail(403, {
						login,
						ticket: '',
						errors: {
							password: 'You have no role here now: it has ended, or was taken from you. Ask an owner.'
						} as Record<string, string>
					});
				putCookie(cookies, url, COOKIES.console, answer.token);
				putCookie(cookies, url, KNOWN_DEVICE, answer.device, DEVICE_DAYS);
				redirect(303, beginning(ownPath(url.searchParams.get('to'))));
				break;
			}
			case 'factor needed':
				// The password is not sent back: the ticket stands for it.
				return fail(400, { login, ticket: answer.ticket, errors: {} as Record<string, string> });
			case 'too many':
				log('too many attempts', false);
				return fail(429, {
					login,
					ticket: '',
					errors: { password: `Too many attempts. Wait ${answer.waitMinutes} min, then try again.` } as Record<
						string,
						string
					>
				});
			case 'no':
				log(code ? 'a wrong code' : 'a wrong login or password', false);
				return fail(400, {
					login,
					ticket: code ? ticket : '',
					errors: (code
						? { code: 'The code, or what came before it, is wrong.' }
						: { password: 'Login or password is wrong.' }) as Record<string, string>
				});
		}
	}
};
