import { redirect } from '@sveltejs/kit';
import { endSignIn } from '$lib/server/identity/accounts';
import { dropCookie, FORGET } from '$lib/server/identity/cookies';
import { COOKIES } from '$lib/server/identity/presented';
import { runtime } from '$lib/server/runtime';

export const POST = ({ locals, cookies, url, setHeaders }) => {
	if (locals.caller?.signIn) endSignIn(runtime().db, locals.caller.signIn);
	dropCookie(cookies, url, COOKIES.console);
	setHeaders(FORGET);
	redirect(303, '/sign-in');
};
