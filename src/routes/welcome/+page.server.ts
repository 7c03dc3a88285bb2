import { createHash, timingSafeEqual } from 'node:crypto';
import { fail, redirect } from '@sveltejs/kit';
import { addChange } from '$lib/server/changes';
import { one, run, setting } from '$lib/server/db';
import { addOperator } from '$lib/server/identity/accounts';
import { noteAttempt, tooMany } from '$lib/server/identity/attempts';
import { runtime } from '$lib/server/runtime';

const nobody = () => one<{ n: number }>(runtime().db, 'SELECT count(*) AS n FROM operators')!.n === 0;

export const load = () => {
	if (!nobody()) redirect(303, '/sign-in');
};

export const actions = {
	default: async ({ request, getClientAddress }) => {
		const { db, clock } = runtime();
		if (!nobody()) redirect(303, '/sign-in');
		const form = await request.formData();
		const text = (key: string) => String(form.get(key) ?? '').trim();
		const [code, login, name, password] = [
			text('code'),
			text('login').toLowerCase(),
			text('name'),
			String(form.get('password') ?? '')
		];
		const errors: Record<string, string> = {};
		const who = `welcome@${getClientAddress()}`;
		const given = createHash('sha256').update(code).digest();
		if (tooMany(db, who)) errors.code = 'Too many attempts. Wait ten minutes.';
		else if (!timingSafeEqual(given, Buffer.from(setting(db, 'first code') ?? '0'.repeat(64), 'hex'))) {
			noteAttempt(db, who);
			errors.code = 'This is not the code that the server printed when it started.';
		}
		if (!/^[a-z0-9][a-z0-9.-]{1,30}$/.test(login))
			errors.login = 'Small letters, digits, dots and hyphens, 2 to 31 of them.';
		if (!name) errors.name = 'Write your name.';
		if (password.length < 10) errors.password = 'At least 10 characters.';
		if (Object.keys(errors).length) return fail(400, { errors, code, login, name });
		await addOperator(db, login, name, 'owner', password);
		run(db, "DELETE FROM settings WHERE key = 'first code'");
		addChange(db, {
			at: clock.now(),
			by: name,
			via: 'first start',
			kind: 'operator.add',
			title: `Add operator ${name} as owner`,
			objects: [`operator/${login}`],
			planId: null,
			jobId: null,
			outcome: 'done',
			undo: null
		});
		redirect(303, '/sign-in');
	}
};
