import { fail, redirect } from '@sveltejs/kit';
import { levelIn, ROLES, AREA_WORDS, may, rightsOf, STAFF, STAFF_AREAS, AREAS } from '$lib/core/access/rights';
import { formOf } from '$lib/server/api/body';
import { HEADS_HOOK, HEADS_MAIL } from '$lib/server/changes/send';
import { setting } from '$lib/server/db';
import {
	actIn,
	changePassword,
	endOthers,
	endOwnSignIn,
	endOwnToken,
	ownSignIns,
	ownTokens,
	raiseSignIn,
	shownLately,
	signInsOf,
	noteOwn,
	operators,
	tokensOf
} from '$lib/server/identity/accounts';
import { addPasskey, doorstepOf, MOST_PASSKEYS, passkeysOf, removePasskey } from '$lib/server/identity/passkeys';
import { makeRecoveryCodes, recoveryLeft } from '$lib/server/identity/recovery';
import { staffPolicy } from '$lib/server/identity/staff';
import { auditorsAlone, madeRoles } from '$lib/server/identity/assignments';
import { PLAN_KINDS } from '$lib/server/areas';
import { consentRules } from '$lib/server/plans/consent';
import { partName } from '$lib/server/part';
import type { Caller } from '$lib/server/identity/caller';
import {
	beginFactor,
	CODE_PROBLEM,
	confirmFactor,
	dropFactor,
	factorOwner,
	hasApp,
	hasFactor
} from '$lib/server/identity/factor';
import { factorPicture } from '$lib/server/identity/picture';
import { directoryPercent } from '$lib/server/directory';
import { PORTAL_ADDRESS, SERVED_AT, signInPolicy } from '$lib/server/identity/portal';
import { employmentsOf } from '$lib/server/people';
import { runtime, wholeRuntime } from '$lib/server/runtime';

export const load = ({ locals, depends }) => {
	depends('sextant:live');
	const { db, clock } = runtime();
	const caller = locals.caller!;
	const whole = wholeRuntime().db;
	const seesAccounts = may(caller.rights, 'identity', 'read');
	const everybody = operators(whole, clock.now()).map((o) => ({
		...o,
		signedIn: seesAccounts ? signInsOf(whole, { kind: 'operator', id: o.id }) : 0,
		assignments: o.assignments.map((a) => ({ ...a, words: a.part && partName(whole, a.part) }))
	}));
	const made = madeRoles(whole);
	const roles = [...ROLES.map((r) => ({ id: r as string, name: r as string, rights: rightsOf(r) })), ...made];
	return {
		me: everybody.find((o) => caller.kind === 'operator' && o.id === caller.id) ?? null,
		signIns: ownSignIns(whole, caller),
		own: ownTokens(whole, caller, clock.now()).map((t) => ({ ...t, words: t.part && partName(whole, t.part) })),
		passkeys: caller.kind === 'operator' ? passkeysOf(whole, { kind: 'operator', id: caller.id }) : [],
		recovery: caller.kind === 'operator' ? recoveryLeft(whole, { kind: 'operator', id: caller.id }) : null,
		app: caller.kind === 'operator' && hasApp(whole, { kind: 'operator', id: caller.id }),
		/** Their role asks for a second factor that they have not shown. */
		needsFactor: caller.needsFactor ?? false,
		signingIn: seesAccounts ? { ...staffPolicy(whole), auditorsAlone: auditorsAlone(whole) } : null,
		/** By which of their assignments they act. */
		acting: caller.assignment,
		operators: seesAccounts ? everybody : null,
		tokens: seesAccounts ? tokensOf(whole).map((t) => ({ ...t, words: t.part && partName(whole, t.part) })) : null,
		rights: AREAS.map((a) => ({ area: AREA_WORDS[a], levels: roles.map((r) => levelIn(r.rights, a)) })),
		roles: roles.map((r) => r.name),
		made,
		/** What operators can be given. */
		staff: [
			...STAFF.map((r) => ({ id: r as string, name: r as string })),
			...made.map(({ id, name }) => ({ id, name }))
		],
		/** What waits for the consent of another, and every kind of plan. */
		consent: seesAccounts ? consentRules(whole) : null,
		kinds: seesAccounts ? PLAN_KINDS.map((k) => ({ id: k.kind, name: k.words })) : [],
		areas: STAFF_AREAS.map((a) => ({ id: a, words: AREA_WORDS[a] })),
		mayManage: may(caller.rights, 'identity', 'draft'),
		/** Where signed heads of the change log are sent. */
		heads: seesAccounts ? { mail: setting(db, HEADS_MAIL) ?? '', hook: setting(db, HEADS_HOOK) ?? '' } : null,
		/** The percentage of people that the directory may move without anybody looking. */
		directory: may(caller.rights, 'access', 'draft')
			? {
					percent: directoryPercent(db),
					portal: setting(db, PORTAL_ADDRESS) ?? '',
					served: setting(db, SERVED_AT) ?? '',
					signIn: signInPolicy(db),
					employments: employmentsOf(db, clock.now())
				}
			: null
	};
};

const text = (form: { get(name: string): string }, key: string) => form.get(key).trim();

export const actions = {
	act: async ({ request, locals }) => {
		const ctx = wholeRuntime();
		const form = await formOf(request);
		if (!actIn(ctx.db, locals.caller!, Number(form.get('assignment')), ctx.clock.now()))
			return fail(422, { errors: { assignment: 'You do not have that role any more.' } as Record<string, string> });
		redirect(303, '/');
	},
	password: async ({ request, locals }) => {
		const form = await formOf(request);
		const wrong = await changePassword(wholeRuntime(), locals.caller!, form.get('before'), form.get('next'));
		return wrong ? fail(422, { errors: { [wrong.field]: wrong.words } as Record<string, string> }) : { changed: true };
	},
	factor: async ({ locals }) => {
		const owner = ownerOf(locals.caller);
		if (!owner) return noFactor();
		const shut = mustShow(locals.caller!);
		if (shut) return shut;
		const { secret, uri } = beginFactor(wholeRuntime(), owner, locals.caller!.login);
		return { factor: { secret, picture: await factorPicture(uri) } };
	},
	confirm: async ({ request, locals }) => {
		const owner = ownerOf(locals.caller);
		if (!owner) return noFactor();
		const ctx = wholeRuntime();
		const shut = mustShow(locals.caller!);
		if (shut) return shut;
		if (!confirmFactor(ctx, owner, text(await formOf(request), 'code')))
			return fail(422, {
				errors: { code: 'This is not the code of this moment. Begin again, and give the newest one.' } as Record<
					string,
					string
				>
			});
		const codes = nowGiven(locals.caller!);
		noteOwn(ctx, locals.caller!, 'operator.factor', `${locals.caller!.name} has switched their second factor on`);
		return { factorOn: true, codes };
	},
	'add-passkey': async ({ request, locals, url }) => {
		const owner = ownerOf(locals.caller);
		if (!owner) return noFactor();
		const ctx = wholeRuntime();
		const shut = mustShow(locals.caller!);
		if (shut) return shut;
		const form = await request.formData();
		const [answer, typed] = [form.get('answer'), form.get('name')];
		const name = typeof typed === 'string' ? typed.trim() : '';
		const wrong = (words: string) => fail(422, { errors: { passkey: words } as Record<string, string> });
		const door = doorstepOf(url);
		if (door === null) return wrong('Passkeys need an address with a name, over TLS.');
		if (name === '' || name.length > 60) return wrong('Give it a name of at most 60 characters.');
		if (typeof answer !== 'string') return wrong('No passkey was made.');
		const added = await addPasskey(ctx.db, owner, door, { answer, name, at: ctx.clock.now() });
		if (!added.ok) return wrong(PASSKEY_PROBLEM[added.problem]);
		const codes = nowGiven(locals.caller!);
		noteOwn(ctx, locals.caller!, 'operator.passkey', `${locals.caller!.name} has added the passkey ${name}`);
		return { passkey: name, codes };
	},
	'remove-passkey': async ({ request, locals }) => {
		const owner = ownerOf(locals.caller);
		if (!owner) return noFactor();
		const ctx = wholeRuntime();
		const shut = mustShow(locals.caller!);
		if (shut) return shut;
		const name = removePasskey(ctx.db, owner, (await formOf(request)).get('id'));
		if (name === null) return fail(404, { errors: { passkey: 'You have no such passkey.' } as Record<string, string> });
		endOthers(ctx.db, locals.caller!);
		noteOwn(ctx, locals.caller!, 'operator.passkey', `${locals.caller!.name} has removed the passkey ${name}`);
		return { removed: name };
	},
	recovery: ({ locals }) => {
		const owner = ownerOf(locals.caller);
		if (!owner) return noFactor();
		const ctx = wholeRuntime();
		const shut = mustShow(locals.caller!);
		if (shut) return shut;
		if (!hasFactor(ctx.db, owner))
			return fail(422, { errors: { recovery: 'Set a second factor up first.' } as Record<string, string> });
		const codes = makeRecoveryCodes(ctx.db, owner, ctx.clock.now());
		noteOwn(ctx, locals.caller!, 'operator.recovery', `${locals.caller!.name} has made new recovery codes`);
		return { codes };
	},
	end: async ({ request, locals }) => {
		const ctx = wholeRuntime();
		if (!endOwnSignIn(ctx.db, locals.caller!, (await formOf(request)).get('id')))
			return fail(404, { errors: { signIns: 'That one has ended already.' } as Record<string, string> });
		noteOwn(ctx, locals.caller!, 'operator.sign-ins', `${locals.caller!.name} has ended one of their sign-ins`);
		return { ended: true };
	},
	'end-token': async ({ request, locals }) => {
		const ctx = wholeRuntime();
		const name = (await formOf(request)).get('name');
		if (!endOwnToken(ctx.db, locals.caller!, name, ctx.clock.now()))
			return fail(404, { errors: { tokens: 'That one has ended already.' } as Record<string, string> });
		noteOwn(ctx, locals.caller!, 'operator.token', `${locals.caller!.name} has revoked their token ${name}`);
		return { revoked: name };
	},
	drop: async ({ request, locals }) => {
		const owner = ownerOf(locals.caller);
		if (!owner) return noFactor();
		const ctx = wholeRuntime();
		const answer = dropFactor(ctx, owner, text(await formOf(request), 'code'));
		if (answer !== 'right') return fail(422, { errors: { code: CODE_PROBLEM[answer] } as Record<string, string> });
		endOthers(ctx.db, locals.caller!);
		noteOwn(ctx, locals.caller!, 'operator.factor', `${locals.caller!.name} has switched their second factor off`);
		return { factorOff: true };
	}
};

const PASSKEY_PROBLEM = {
	late: 'It took too long. Try again.',
	unknown: 'This passkey is not known here.',
	wrong: 'The passkey could not be read. Try again.',
	'too-many': `You have ${MOST_PASSKEYS} already: remove one first.`
} as const;

/**
 * Whoever changes how they sign in has just shown who they are, with their second factor where they have one: a password alone must not
 * be enough, nor a screen that somebody has left.
 */
function mustShow(caller: Caller) {
	const { db } = wholeRuntime();
	const words =
		hasFactor(db, { kind: 'operator', id: caller.id }) && !caller.factor
			? 'Sign in with your second factor first.'
			: shownLately(db, caller)
				? null
				: 'You signed in more than a quarter of an hour ago. Sign in again before you change how you sign in.';
	return words === null ? null : fail(403, { errors: { again: words } as Record<string, string> });
}

/** The second factor has just been set up: it counts from now on, others have to sign in anew, and the first codes are given. */
function nowGiven(caller: Caller): string[] | undefined {
	const { db, clock } = wholeRuntime();
	raiseSignIn(db, caller.signIn!);
	endOthers(db, caller);
	const owner = { kind: 'operator', id: caller.id } as const;
	return recoveryLeft(db, owner) === null ? makeRecoveryCodes(db, owner, clock.now()) : undefined;
}

/** The console is for operators: a token or a person has no second factor here. */
const ownerOf = (caller: Caller | null) => (caller?.kind === 'operator' ? factorOwner(caller) : null);
const noFactor = () =>
	fail(403, { errors: { code: 'Only operators have a second factor.' } as Record<string, string> });
