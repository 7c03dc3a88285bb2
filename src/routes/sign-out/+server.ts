import { redirect } from '@sveltejs/kit';
import { endSignIn } from '$lib/server/identity/accounts';
import { dropCookie, FORGET } from '$lib/server/identity/cookies';
import { ownPath } from '$lib/server/identity/own-path';
import { COOKIES } from '$lib/server/identity/presented';
import { runtime } from '$lib/server/runtime';

export const POST = ({ locals, cookies, url, setHeaders }) => {
	if (locals.caller?.signIn) endSignIn(runtime().db, locals.caller.signIn);
	dropCookie(cookies, url, COOKIES.console);
	setHeaders(FORGET);
	const to = ownPath(url.searchParams.get('to'));
	redirect(303, to === '/' ? '/sign-in' : `/sign-in?to=${encodeURIComponent(to)}`);
};
