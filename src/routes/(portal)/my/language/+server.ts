import { redirect } from '@sveltejs/kit';
import { isLanguage } from '$lib/core/portal/languages';
import { formOf } from '$lib/server/api/body';
import { problem, problemResponse } from '$lib/server/api/problems';
import { cookieOf, DEVICE_DAYS } from '$lib/server/identity/cookies';
import { ownPath } from '$lib/server/identity/own-path';
import { isPortal, LANGUAGE_COOKIE } from '$lib/server/identity/presented';

/** Keeps the language that somebody chooses, in their browser. */
export const POST = async ({ request, cookies, url }) => {
	const form = await formOf(request).catch(() => null);
	if (form === null) return problemResponse(problem('input', 'Send it as a form.'));
	const language = form.get('language');
	if (isLanguage(language)) cookies.set(LANGUAGE_COOKIE, language, { ...cookieOf(url), maxAge: DEVICE_DAYS * 86_400 });
	const to = ownPath(form.get('to'));
	redirect(303, isPortal(to) ? to : '/my');
};
