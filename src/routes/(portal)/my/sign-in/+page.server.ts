import { fail, redirect } from '@sveltejs/kit';
import { one } from '$lib/server/db';
import { signInPerson } from '$lib/server/identity/accounts';
import { noteAttempt, tooMany } from '$lib/server/identity/attempts';
import { runtime } from '$lib/server/runtime';

export const load = ({ locals }) => {
	if (locals.caller?.role === 'person') redirect(303, '/my');
	return { demo: runtime().demo };
};

export const actions = {
	default: async ({ request, cookies, url, getClientAddress }) => {
		const { db, providers } = runtime();
		const form = await request.formData();
		const login = String(form.get('login') ?? '')
			.trim()
			.toLowerCase();
		const password = String(form.get('password') ?? '');
		if (!login) return fail(400, { login, problem: 'Write your login.' });
		const who = `my/${login}@${getClientAddress()}`;
		const limited = tooMany(db, who);
		if (limited)
			return fail(429, { login, problem: `Too many attempts. Wait ${limited.waitMinutes} minutes, then try again.` });
		const person = one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [login]);
		if (!person || !(await providers.directory.verify(login, password))) {
			noteAttempt(db, who);
			return fail(400, { login, problem: 'Login or password is wrong.' });
		}
		cookies.set('sextant-my', signInPerson(db, person.id, false), {
			path: '/',
			httpOnly: true,
			sameSite: 'lax',
			secure: url.protocol === 'https:'
		});
		redirect(303, '/my');
	}
};
