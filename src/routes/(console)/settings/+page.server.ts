import { fail } from '@sveltejs/kit';
import { hash } from '@node-rs/argon2';
import { levelOf, AREAS, ROLES, AREA_WORDS, may } from '$lib/core/access/rights';
import { all } from '$lib/server/db';
import { newTokenSecret, operators } from '$lib/server/identity/accounts';
import { beginFactor, CODE_PROBLEM, confirmFactor, dropFactor } from '$lib/server/identity/factor';
import { factorPicture } from '$lib/server/identity/picture';
import { draftPlan, NotAllowed } from '$lib/server/plans';
import { InputProblem } from '$lib/server/plans/kind';
import { runtime } from '$lib/server/runtime';

export const load = ({ locals, depends }) => {
	depends('sextant:live');
	const { db } = runtime();
	const caller = locals.caller!;
	const seesAccounts = may(caller.role, 'identity', 'read');
	const all_ = operators(db);
	return {
		me: all_.find((o) => caller.kind === 'operator' && o.id === caller.id) ?? null,
		operators: seesAccounts ? all_ : null,
		tokens: seesAccounts
			? all<{ name: string; role: string; made_at: number; made_by: string; revoked_at: number | null }>(
					db,
					'SELECT name, role, made_at, made_by, revoked_at FROM tokens ORDER BY revoked_at IS NOT NULL, made_at DESC'
				)
			: null,
		rights: AREAS.map((a) => ({ area: AREA_WORDS[a], levels: ROLES.map((r) => levelOf(r, a)) })),
		roles: ROLES,
		mayManage: may(caller.role, 'identity', 'draft')
	};
};

const text = (form: FormData, key: string) => String(form.get(key) ?? '').trim();

/** What a refused draft says, by field. */
function refused(e: unknown, kept: Record<string, string>) {
	if (e instanceof InputProblem)
		return fail(422, { errors: Object.fromEntries(e.problems.map((p) => [p.field, p.words])), kept });
	if (e instanceof NotAllowed) return fail(403, { errors: { form: e.message }, kept });
	throw e;
}

export const actions = {
	operator: async ({ request, locals }) => {
		const form = await request.formData();
		const kept = { login: text(form, 'login'), name: text(form, 'name'), role: text(form, 'role') };
		const password = String(form.get('password') ?? '');
		if (!may(locals.caller!.role, 'identity', 'draft'))
			return fail(403, { errors: { form: 'Your role may not add operators.' }, kept });
		if (password.length < 10) return fail(422, { errors: { password: 'At least 10 characters.' }, kept });
		try {
			// Only the hash goes into the plan: a password is written down nowhere.
			const plan = await draftPlan(
				runtime(),
				locals.caller!,
				'operator.add',
				{ ...kept, passwordHash: await hash(password) },
				'screen'
			);
			return { plan: plan.id };
		} catch (e) {
			return refused(e, kept);
		}
	},
	token: async ({ request, locals }) => {
		const form = await request.formData();
		const kept = { token: text(form, 'token'), tokenRole: text(form, 'tokenRole') };
		const { secret, hash: digest } = newTokenSecret();
		try {
			const plan = await draftPlan(
				runtime(),
				locals.caller!,
				'token.create',
				{ name: kept.token, role: kept.tokenRole, hash: digest },
				'screen'
			);
			return { plan: plan.id, secret };
		} catch (e) {
			return refused(e, kept);
		}
	},
	factor: async ({ locals }) => {
		const caller = locals.caller!;
		if (caller.kind !== 'operator')
			return fail(403, { errors: { code: 'Only operators have a second factor.' } as Record<string, string> });
		const { secret, uri } = beginFactor(runtime().db, { kind: 'operator', id: caller.id }, caller.login);
		return { factor: { secret, picture: await factorPicture(uri) } };
	},
	confirm: async ({ request, locals }) => {
		const code = text(await request.formData(), 'code');
		return confirmFactor(runtime().db, { kind: 'operator', id: locals.caller!.id }, code)
			? { factorOn: true }
			: fail(422, {
					errors: { code: 'This is not the code of this moment. Begin again, and give the newest one.' } as Record<
						string,
						string
					>
				});
	},
	drop: async ({ request, locals }) => {
		const code = text(await request.formData(), 'code');
		const answer = dropFactor(runtime().db, { kind: 'operator', id: locals.caller!.id }, code);
		return answer === 'right'
			? { factorOff: true }
			: fail(422, { errors: { code: CODE_PROBLEM[answer] } as Record<string, string> });
	}
};
