import { fail, redirect } from '@sveltejs/kit';
import { isHere, lastDay } from '$lib/core/people/record';
import { dayWords } from '$lib/core/time/zone';
import { formOf } from '$lib/server/api/body';
import { personCalled } from '$lib/server/directory';
import { deviceFor, knownDevice, PASSWORD, signInPerson } from '$lib/server/identity/accounts';
import { throttleOf } from '$lib/server/identity/attempts';
import { cookieOf, DEVICE_DAYS } from '$lib/server/identity/cookies';
import { runtime } from '$lib/server/runtime';

export const load = ({ locals }) => {
	if (locals.caller?.role === 'person') redirect(303, '/my');
	return { demo: runtime().demo };
};

export const actions = {
	default: async ({ request, cookies, url, getClientAddress }) => {
		const { clock, db, providers, vault } = runtime();
		const form = await formOf(request);
		const login = form.get('login').trim().toLowerCase();
		const password = form.get('password');
		if (!login) return fail(400, { login, problem: 'Write your login.' });
		const account = `my/${login}`;
		const guess = throttleOf(db).begin({
			account,
			address: getClientAddress(),
			device: knownDevice(vault, account, cookies.get('sextant-my-device') ?? null)
		});
		if ('outcome' in guess)
			return fail(429, { login, problem: `Too many attempts. Wait ${guess.waitMinutes} min, then try again.` });
		const now = clock.now();
		const person = personCalled(db, login, now);
		if (!person || password.length > PASSWORD.most || !(await providers.directory.verify(login, password)))
			return fail(400, { login, problem: 'Login or password is wrong.' });
		// Said to nobody but who knows the password.
		if (!isHere(person, now))
			return fail(403, {
				login,
				problem:
					now < person.begins
						? `Your first day is ${dayWords(person.zone, person.begins)}. Sign in from then on.`
						: `Your account ended on ${dayWords(person.zone, lastDay(person))}. Ask whoever you reported to.`
			});
		guess.right();
		cookies.set('sextant-my', signInPerson(db, person.id, false), cookieOf(url));
		cookies.set('sextant-my-device', deviceFor(vault, account), { ...cookieOf(url), maxAge: DEVICE_DAYS * 86_400 });
		redirect(303, '/my');
	}
};
