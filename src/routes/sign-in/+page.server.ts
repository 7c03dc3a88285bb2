import { fail, redirect } from '@sveltejs/kit';
import { one } from '$lib/server/db';
import { signInOperator } from '$lib/server/identity/accounts';
import { runtime } from '$lib/server/runtime';

/** Only a path of our own: never another site. */
const ownPath = (to: string | null) => (to && /^\/(?![/\\])/.test(to) ? to : '/');

export const load = ({ locals, url }) => {
	if (locals.caller && locals.caller.role !== 'person') redirect(303, ownPath(url.searchParams.get('to')));
	const { db, demo } = runtime();
	if (one<{ n: number }>(db, 'SELECT count(*) AS n FROM operators')!.n === 0) redirect(303, '/welcome');
	return { demo };
};

export const actions = {
	default: async ({ request, cookies, url, getClientAddress }) => {
		const form = await request.formData();
		const login = String(form.get('login') ?? '')
			.trim()
			.toLowerCase();
		const password = String(form.get('password') ?? '');
		const code = String(form.get('code') ?? '').trim();
		const errors: Record<string, string> = {};
		if (!login) errors.login = 'Write your login.';
		if (!password) errors.password = 'Write your password.';
		if (Object.keys(errors).length) return fail(400, { login, errors, factor: false });
		const answer = await signInOperator(runtime().db, login, password, code, getClientAddress());
		switch (answer.outcome) {
			case 'in':
				cookies.set('sextant', answer.token, {
					path: '/',
					httpOnly: true,
					sameSite: 'lax',
					secure: url.protocol === 'https:'
				});
				redirect(303, ownPath(url.searchParams.get('to')));
				break;
			case 'factor needed':
				return fail(400, { login, password, factor: true, errors: {} as Record<string, string> });
			case 'too many':
				return fail(429, {
					login,
					factor: false,
					errors: { password: `Too many attempts. Wait ${answer.waitMinutes} minutes, then try again.` } as Record<
						string,
						string
					>
				});
			case 'no':
				return fail(400, {
					login,
					factor: code !== '',
					errors: { password: code ? 'Login, password or code is wrong.' : 'Login or password is wrong.' } as Record<
						string,
						string
					>
				});
		}
	}
};
