import { fail } from '@sveltejs/kit';
import { randomUUID } from 'node:crypto';
import { speakerOf, type Key } from '$lib/core/portal/say';
import { MINUTE } from '$lib/core/time/units';
import { formOf } from '$lib/server/api/body';
import { testAccess } from '$lib/server/access';
import { personWords } from '$lib/server/directory';
import { endOthers, noteOwn, raiseSignIn, shownLately, signedInElsewhere } from '$lib/server/identity/accounts';
import { passwordProblem, PASSWORD, wordsAbout } from '$lib/server/identity/password';
import { Rate, throttleOf } from '$lib/server/identity/attempts';
import type { Caller } from '$lib/server/identity/caller';
import {
	beginFactor,
	CODE_SAID,
	confirmFactor,
	dropFactor,
	hasApp,
	hasFactor,
	useCode
} from '$lib/server/identity/factor';
import {
	addPasskey,
	doorOf,
	doorstepOf,
	MOST_PASSKEYS,
	passkeysOf,
	removePasskey,
	renamePasskey,
	showPasskey
} from '$lib/server/identity/passkeys';
import { factorPicture } from '$lib/server/identity/picture';
import { signInPolicy } from '$lib/server/identity/portal';
import { makeRecoveryCodes, recoveryLeft } from '$lib/server/identity/recovery';
import { publicationsAt } from '$lib/server/publications';
import { runtime } from '$lib/server/runtime';

const ownerOf = (caller: Caller) => ({ kind: 'person', id: caller.id }) as const;

export const load = ({ locals, url }) => {
	const caller = locals.caller!;
	const { db, clock } = runtime();
	const now = clock.now();
	const door = doorstepOf(url);
	const wanted = publicationsAt(db, now).find((p) => p.id === url.searchParams.get('for'));
	return {
		now,
		zone: personWords(db, caller.login, now)?.zone ?? 'Etc/UTC',
		host: door?.host ?? null,
		address: url.host,
		passkeysTaken: signInPolicy(db).passkeys,
		passkeys: passkeysOf(db, ownerOf(caller)),
		app: hasApp(db, ownerOf(caller)),
		factor: hasFactor(db, ownerOf(caller)),
		given: caller.factor && shownLately(db, caller),
		recovery: recoveryLeft(db, ownerOf(caller)),
		elsewhere: signedInElsewhere(db, caller),
		/** What they came here to open. */
		wanted: wanted
			? {
					id: wanted.id,
					name: wanted.name,
					opens:
						testAccess(db, {
							login: caller.login,
							publication: wanted.id,
							at: now,
							address: null,
							managed: null,
							secondFactor: caller.factor
						})?.value.allowed ?? false
				}
			: null
	};
};

/** How often one person may change how they sign in: each leaves a line in the change log. */
const ACTS = new Rate(20, MINUTE);
const tooOften = (locals: App.Locals, section: string) =>
	ACTS.take(locals.caller!.login)
		? null
		: fail(429, { section, problem: speakerOf(locals.language)('problem.too-often') });

/**
 * Whoever changes how they sign in has just shown who they are, by their second factor where they have one: neither a password alone nor a
 * screen that somebody has left is enough to add a key of one's own.
 */
function mustShow(locals: App.Locals, section: string) {
	const caller = locals.caller!;
	const { db } = runtime();
	const shut = (key: Key) => fail(403, { section, late: true, problem: speakerOf(locals.language)(key) });
	const late = tooOften(locals, section);
	if (late) return late;
	const lately = shownLately(db, caller);
	if (hasFactor(db, ownerOf(caller))) return caller.factor && lately ? null : shut('problem.factor-first');
	return lately ? null : shut('problem.sign-in-again');
}

/** The second factor has just been shown or set up: it counts from now on, and others have to sign in anew where it is new. */
function nowGiven(caller: Caller): void {
	raiseSignIn(runtime().db, caller.signIn!);
}

/** Codes for whoever has set up their first second factor. */
function firstCodes(caller: Caller): string[] | undefined {
	const { db, clock } = runtime();
	return recoveryLeft(db, ownerOf(caller)) === null ? makeRecoveryCodes(db, ownerOf(caller), clock.now()) : undefined;
}

export const actions = {
	password: async ({ request, locals }) => {
		const caller = locals.caller!;
		const ctx = runtime();
		const say = speakerOf(locals.language);
		const form = await formOf(request);
		const next = form.get('next');
		const wrong = (status: number, problems: Record<string, string>) => fail(status, { section: 'password', problems });
		const problem = passwordProblem(next, wordsAbout(ctx.db, caller));
		if (problem === 'length') return wrong(422, { next: say('problem.length', PASSWORD) });
		if (problem === 'common') return wrong(422, { next: say('problem.common') });
		const guess = throttleOf(ctx.db).begin({ account: `my/password/${caller.id}`, address: null });
		if ('outcome' in guess) return wrong(429, { before: say('sign-in.too-many', { minutes: guess.waitMinutes }) });
		if (!(await ctx.providers.directory.verify(caller.login, form.get('before').slice(0, PASSWORD.most))))
			return wrong(422, { before: say('problem.before') });
		guess.right();
		if (next === form.get('before')) return wrong(422, { next: say('problem.same') });
		await ctx.providers.directory.setPassword(caller.login, next, `portal-${randomUUID()}`);
		endOthers(ctx.db, caller);
		noteOwn(ctx, caller, 'person.password', `${caller.name} has changed their password`);
		return { section: 'password', done: say('done.password') };
	},

	show: async ({ request, locals, url }) => {
		const caller = locals.caller!;
		const ctx = runtime();
		const say = speakerOf(locals.language);
		const form = await request.formData();
		const answer = form.get('answer');
		const wrong = (given: string, key: Key) =>
			fail(422, { section: 'show', given, problem: say(key, { most: MOST_PASSKEYS }) });
		if (typeof answer === 'string') {
			const door = doorOf(ctx.db, url);
			const shown = door && (await showPasskey(ctx.db, ownerOf(caller), door, { answer, at: ctx.clock.now() }));
			if (!shown?.ok) return wrong('answer', `passkey.${shown?.problem ?? 'wrong'}`);
		} else {
			const code = form.get('code');
			const taken = useCode(ctx, ownerOf(caller), typeof code === 'string' ? code : '');
			if (taken !== 'right') return wrong('code', CODE_SAID[taken]);
		}
		nowGiven(caller);
		return { section: 'show', done: say('done.unlocked') };
	},

	'add-passkey': async ({ request, locals, url }) => {
		const caller = locals.caller!;
		const ctx = runtime();
		const say = speakerOf(locals.language);
		const form = await request.formData();
		const [answer, typed] = [form.get('answer'), form.get('name')];
		const name = typeof typed === 'string' ? typed.trim() : '';
		const wrong = (status: number, key: Key, values = {}) =>
			fail(status, { section: 'passkeys', name, problem: say(key, values) });
		const shut = mustShow(locals, 'passkeys');
		if (shut) return shut;
		const door = doorOf(ctx.db, url);
		if (door === null) return wrong(403, 'passkey.off');
		if (name === '' || name.length > 60) return wrong(422, 'problem.name');
		if (typeof answer !== 'string') return wrong(422, 'passkey.cancelled');
		const added = await addPasskey(ctx.db, ownerOf(caller), door, { answer, name, at: ctx.clock.now() });
		if (!added.ok) return wrong(422, `passkey.${added.problem}`, { most: MOST_PASSKEYS });
		nowGiven(caller);
		endOthers(ctx.db, caller);
		noteOwn(ctx, caller, 'person.passkey', `${caller.name} has added the passkey ${name}`);
		return { section: 'passkeys', done: say('done.passkey', { name }), codes: firstCodes(caller) };
	},
	'rename-passkey': async ({ request, locals }) => {
		const caller = locals.caller!;
		const say = speakerOf(locals.language);
		const form = await formOf(request);
		const [id, name] = [form.get('id'), form.get('name').trim()];
		if (name === '' || name.length > 60)
			return fail(422, { section: 'passkeys', at: id, problem: say('problem.name') });
		if (!renamePasskey(runtime().db, ownerOf(caller), id, name))
			return fail(404, { section: 'passkeys', at: id, problem: say('problem.not-yours') });
		return { section: 'passkeys', done: say('done.renamed', { name }) };
	},
	'remove-passkey': async ({ request, locals }) => {
		const caller = locals.caller!;
		const ctx = runtime();
		const say = speakerOf(locals.language);
		const shut = mustShow(locals, 'passkeys');
		if (shut) return shut;
		const name = removePasskey(ctx.db, ownerOf(caller), (await formOf(request)).get('id'));
		if (name === null) return fail(404, { section: 'passkeys', problem: say('problem.not-yours') });
		endOthers(ctx.db, caller);
		noteOwn(ctx, caller, 'person.passkey', `${caller.name} has removed the passkey ${name}`);
		return { section: 'passkeys', done: say('done.passkey-gone', { name }) };
	},

	factor: async ({ locals }) => {
		const caller = locals.caller!;
		const shut = mustShow(locals, 'app');
		if (shut) return shut;
		const { secret, uri } = beginFactor(runtime(), ownerOf(caller), caller.login);
		return { section: 'app', factor: { secret, picture: await factorPicture(uri) } };
	},
	confirm: async ({ request, locals }) => {
		const caller = locals.caller!;
		const ctx = runtime();
		const say = speakerOf(locals.language);
		const shut = mustShow(locals, 'app');
		if (shut) return shut;
		if (!confirmFactor(ctx, ownerOf(caller), (await formOf(request)).get('code')))
			return fail(422, { section: 'app', problem: say('problem.set-up-code') });
		nowGiven(caller);
		endOthers(ctx.db, caller);
		noteOwn(ctx, caller, 'person.factor', `${caller.name} has switched their second factor on`);
		return { section: 'app', done: say('done.factor-on'), codes: firstCodes(caller) };
	},
	drop: async ({ request, locals }) => {
		const ctx = runtime();
		const caller = locals.caller!;
		const say = speakerOf(locals.language);
		const answer = dropFactor(ctx, ownerOf(caller), (await formOf(request)).get('code'));
		if (answer !== 'right') return fail(422, { section: 'app', problem: say(CODE_SAID[answer]) });
		endOthers(ctx.db, caller);
		noteOwn(ctx, caller, 'person.factor', `${caller.name} has switched their second factor off`);
		return { section: 'app', done: say('done.factor-off') };
	},

	recovery: ({ locals }) => {
		const caller = locals.caller!;
		const ctx = runtime();
		const shut = mustShow(locals, 'recovery');
		if (shut) return shut;
		if (!hasFactor(ctx.db, ownerOf(caller)))
			return fail(422, { section: 'recovery', problem: speakerOf(locals.language)('account.recovery-needs') });
		const codes = makeRecoveryCodes(ctx.db, ownerOf(caller), ctx.clock.now());
		noteOwn(ctx, caller, 'person.recovery', `${caller.name} has made new recovery codes`);
		return { section: 'recovery', codes };
	},

	elsewhere: ({ locals }) => {
		const caller = locals.caller!;
		const often = tooOften(locals, 'elsewhere');
		if (often) return often;
		const ctx = runtime();
		endOthers(ctx.db, caller);
		noteOwn(ctx, caller, 'person.sign-ins', `${caller.name} has signed out everywhere else`);
		return { section: 'elsewhere', done: speakerOf(locals.language)('done.signed-out') };
	}
};
