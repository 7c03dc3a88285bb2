import { fail, redirect } from '@sveltejs/kit';
import { speakerOf } from '$lib/core/portal/say';
import { MINUTE } from '$lib/core/time/units';
import { personCalled } from '$lib/server/directory';
import { callerNow } from '$lib/server/identity/accounts';
import { Rate } from '$lib/server/identity/attempts';
import { doorstepOf, passkeyToShow, showPasskey } from '$lib/server/identity/passkeys';
import { signInPolicy } from '$lib/server/identity/portal';
import { comeIn, mayComeIn } from '$lib/server/portal';
import { runtime } from '$lib/server/runtime';

/** How often one address may come here within a minute: many people behind one gateway do so in the morning. */
const COMES = new Rate(300, MINUTE);

export const load = async ({ locals, url, getClientAddress }) => {
	if (locals.caller?.role === 'person') redirect(303, '/my');
	const say = speakerOf(locals.language);
	const { db } = runtime();
	const policy = signInPolicy(db);
	const door = doorstepOf(url);
	const off = !policy.passkeys
		? say('passkey.off')
		: door === null
			? say('passkey.no-address', { address: url.host })
			: !COMES.take(getClientAddress())
				? say('problem.too-often')
				: null;
	return {
		off,
		ownDays: policy.ownDays,
		options: off === null ? await passkeyToShow(db, { kind: 'person', id: null }, door!) : null
	};
};

export const actions = {
	default: async ({ request, cookies, url, locals, getClientAddress }) => {
		const ctx = runtime();
		const { db, clock } = ctx;
		const say = speakerOf(locals.language);
		const form = await request.formData();
		const [answer, own] = [form.get('answer'), form.get('own') === 'yes'];
		const door = doorstepOf(url);
		if (!signInPolicy(db).passkeys || door === null) return fail(403, { own, problem: say('passkey.off') });
		if (!COMES.take(getClientAddress())) return fail(429, { own, problem: say('problem.too-often') });
		if (typeof answer !== 'string' || answer === '') return fail(400, { own, problem: say('passkey.cancelled') });
		const now = clock.now();
		const shown = await showPasskey(db, { kind: 'person', id: null }, door, { answer, at: now });
		if (!shown.ok) return fail(400, { own, problem: say(`passkey.${shown.problem}`, { most: 0 }) });
		const login = callerNow(db, 'person', shown.id, now)?.login;
		const person = login === undefined ? undefined : personCalled(db, login, now);
		if (!person) return fail(400, { own, problem: say('passkey.unknown') });
		const why = mayComeIn(person, now, say);
		if (why !== null) return fail(403, { own, problem: why });
		const stays = comeIn(ctx, cookies, url, person, { factor: true, own });
		redirect(303, stays === 'no' ? '/my?stay=no' : '/my');
	}
};
