import { fail, redirect } from '@sveltejs/kit';
import { formOf } from '$lib/server/api/body';
import { addFirstOperator, anyOperator, isFirstCode } from '$lib/server/identity/accounts';
import { passwordWords, wordsAbout } from '$lib/server/identity/password';
import { throttleOf } from '$lib/server/identity/attempts';
import { runtime } from '$lib/server/runtime';

const nobody = () => !anyOperator(runtime().db);

export const load = () => {
	if (!nobody()) redirect(303, '/sign-in');
};

export const actions = {
	default: async ({ request, getClientAddress }) => {
		const { db, clock } = runtime();
		if (!nobody()) redirect(303, '/sign-in');
		const form = await formOf(request);
		const [code, login, name] = [
			form.get('code').trim(),
			form.get('login').trim().toLowerCase(),
			form.get('name').trim()
		];
		const password = form.get('password');
		const errors: Record<string, string> = {};
		if (!/^[a-z0-9][a-z0-9.-]{1,30}$/.test(login))
			errors.login = 'Small letters, digits, dots and hyphens, 2 to 31 of them.';
		if (!name || name.length > 100) errors.name = 'Write your name, in 100 characters at most.';
		const wrong = passwordWords(password, wordsAbout(db, { login, name }));
		if (wrong !== null) errors.password = wrong;
		const guess = throttleOf(db).begin({ account: 'welcome', address: getClientAddress() });
		if ('outcome' in guess) errors.code = `Too many attempts. Wait ${guess.waitMinutes} min, then try again.`;
		else if (!isFirstCode(db, code)) errors.code = 'This is not the code that the server printed when it started.';
		else guess.right();
		if (Object.keys(errors).length) return fail(400, { errors, code, login, name });
		if (await addFirstOperator(db, code, { login, name, password }, clock.now())) redirect(303, '/sign-in');
		errors.code = 'This code has just been used.';
		return fail(400, { errors, code, login, name });
	}
};
