import { fail, redirect } from '@sveltejs/kit';
import { levelIn, ROLES, AREA_WORDS, may, rightsOf, STAFF, STAFF_AREAS, AREAS } from '$lib/core/access/rights';
import { formOf } from '$lib/server/api/body';
import { HEADS_HOOK, HEADS_MAIL } from '$lib/server/changes/send';
import { setting } from '$lib/server/db';
import { actIn, changePassword, endOthers, noteOwn, operators, tokensOf } from '$lib/server/identity/accounts';
import { madeRoles } from '$lib/server/identity/assignments';
import { PLAN_KINDS } from '$lib/server/areas';
import { consentRules } from '$lib/server/plans/consent';
import { partName } from '$lib/server/part';
import type { Caller } from '$lib/server/identity/caller';
import { beginFactor, CODE_PROBLEM, confirmFactor, dropFactor, factorOwner } from '$lib/server/identity/factor';
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
		assignments: o.assignments.map((a) => ({ ...a, words: a.part && partName(whole, a.part) }))
	}));
	const made = madeRoles(whole);
	const roles = [...ROLES.map((r) => ({ id: r as string, name: r as string, rights: rightsOf(r) })), ...made];
	return {
		me: everybody.find((o) => caller.kind === 'operator' && o.id === caller.id) ?? null,
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
		const { secret, uri } = beginFactor(wholeRuntime(), owner, locals.caller!.login);
		return { factor: { secret, picture: await factorPicture(uri) } };
	},
	confirm: async ({ request, locals }) => {
		const owner = ownerOf(locals.caller);
		if (!owner) return noFactor();
		const ctx = wholeRuntime();
		if (!confirmFactor(ctx, owner, text(await formOf(request), 'code')))
			return fail(422, {
				errors: { code: 'This is not the code of this moment. Begin again, and give the newest one.' } as Record<
					string,
					string
				>
			});
		endOthers(ctx.db, locals.caller!);
		noteOwn(ctx, locals.caller!, 'operator.factor', `${locals.caller!.name} has switched their second factor on`);
		return { factorOn: true };
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

/** The console is for operators: a token or a person has no second factor here. */
const ownerOf = (caller: Caller | null) => (caller?.kind === 'operator' ? factorOwner(caller) : null);
const noFactor = () =>
	fail(403, { errors: { code: 'Only operators have a second factor.' } as Record<string, string> });
