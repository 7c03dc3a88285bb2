import { fail, redirect } from '@sveltejs/kit';
import { speakerOf } from '$lib/core/portal/say';
import { formOf } from '$lib/server/api/body';
import { loginTyped, personCalled } from '$lib/server/directory';
import { knownDevice } from '$lib/server/identity/accounts';
import { cookieIn } from '$lib/server/identity/cookies';
import { PASSWORD } from '$lib/server/identity/password';
import { throttleOf } from '$lib/server/identity/attempts';
import { doorstepOf } from '$lib/server/identity/passkeys';
import { signInPolicy } from '$lib/server/identity/portal';
import { comeIn, KNOWN_DEVICE, mayComeIn } from '$lib/server/portal';
import { runtime } from '$lib/server/runtime';

export const load = ({ locals, url }) => {
	if (locals.caller?.role === 'person') redirect(303, '/my');
	const { db, demo } = runtime();
	const policy = signInPolicy(db);
	return { demo, passkeys: policy.passkeys && doorstepOf(url) !== null, ownDays: policy.ownDays };
};

export const actions = {
	default: async ({ request, cookies, url, locals, getClientAddress }) => {
		const ctx = runtime();
		const { clock, db, providers, vault } = ctx;
		const say = speakerOf(locals.language);
		const form = await formOf(request);
		const typed = form.get('login').trim().toLowerCase();
		const password = form.get('password');
		const own = form.get('own') !== '';
		const wrong = (status: number, problem: string) => fail(status, { login: typed, own, problem });
		if (!typed) return wrong(400, say('sign-in.no-login'));
		const now = clock.now();
		// Guesses are counted by whom they are about, however they are called.
		const login = loginTyped(db, typed, now);
		const account = `my/${login ?? typed}`;
		const guess = throttleOf(db).begin({
			account,
			address: getClientAddress(),
			device: knownDevice(vault, account, cookieIn(cookies, url, KNOWN_DEVICE))
		});
		if ('outcome' in guess) return wrong(429, say('sign-in.too-many', { minutes: guess.waitMinutes }));
		const person = login === null ? undefined : personCalled(db, login, now);
		if (!person || password.length > PASSWORD.most || !(await providers.directory.verify(person.login, password)))
			return wrong(400, say('sign-in.wrong'));
		// Said to nobody but who knows the password.
		const why = mayComeIn(person, now, say);
		if (why !== null) return wrong(403, why);
		guess.right();
		const stays = comeIn(ctx, cookies, url, person, { factor: false, own });
		redirect(303, stays === 'no' ? '/my?stay=no' : '/my');
	}
};
