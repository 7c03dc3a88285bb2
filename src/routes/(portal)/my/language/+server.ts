import { redirect } from '@sveltejs/kit';
import { isLanguage } from '$lib/core/portal/languages';
import { formOf } from '$lib/server/api/body';
import { problem, problemResponse } from '$lib/server/api/problems';
import { DEVICE_DAYS, putCookie } from '$lib/server/identity/cookies';
import { ownPath } from '$lib/server/identity/own-path';
import { isPortal, LANGUAGE_COOKIE } from '$lib/server/identity/presented';

/** Keeps the language that somebody chooses, in their browser. */
export const POST = async ({ request, cookies, url }) => {
	const form = await formOf(request).catch(() => null);
	if (form === null) return problemResponse(problem('input', 'Send it as a form.'));
	const language = form.get('language');
	if (isLanguage(language)) putCookie(cookies, url, LANGUAGE_COOKIE, language, DEVICE_DAYS);
	const to = ownPath(form.get('to'));
	redirect(303, isPortal(to) ? to : '/my');
};
