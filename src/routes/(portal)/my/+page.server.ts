import { fail, redirect } from '@sveltejs/kit';
import { FOREVER } from '$lib/core/time/units';
import { testAccess } from '$lib/server/access/circumstances';
import { all } from '$lib/server/db';
import { endSignIn, raiseSignIn } from '$lib/server/identity/accounts';
import { beginFactor, CODE_PROBLEM, confirmFactor, dropFactor, hasFactor, useCode } from '$lib/server/identity/factor';
import { factorPicture } from '$lib/server/identity/picture';
import { publicationsAt } from '$lib/server/publishing/queries';
import { runtime } from '$lib/server/runtime';
import { randomUUID } from 'node:crypto';

export const load = ({ locals }) => {
	const { caller } = locals;
	if (caller?.role !== 'person') redirect(303, '/my/sign-in');
	const { db, clock } = runtime();
	const now = clock.now();
	const sessions = all<{ publication: string; machine: string; state: string }>(
		db,
		`SELECT s.publication_id AS publication, m.name AS machine, ss.state FROM sessions s JOIN machines m ON m.id = s.machine_id JOIN session_states ss ON ss.session_id = s.id AND ss.until = ${FOREVER} WHERE s.person_id = ? AND s.until = ${FOREVER}`,
		[caller.id]
	);
	const usual = new Map(
		all<{ p: string; ms: number }>(
			db,
			`SELECT publication_id AS p, avg(took) AS ms FROM (SELECT publication_id, took FROM connections WHERE result = 'open' AND ended <= ? ORDER BY ended DESC LIMIT 600) GROUP BY 1`,
			[now]
		).map((r) => [r.p, r.ms])
	);
	// On the shelf stands whatever a grant reaches; what its conditions shut right now says so.
	const shelf = publicationsAt(db, now).flatMap((p) => {
		const asked = { login: caller.login, publication: p.id, at: now, address: null, managed: null };
		const decision = testAccess(db, { ...asked, secondFactor: caller.factor })!;
		if (decision.value.grant === null) return [];
		const { allowed } = decision.value;
		return [
			{
				id: p.id,
				name: p.name,
				icon: p.icon,
				allowed,
				wantsFactor: !allowed && testAccess(db, { ...asked, secondFactor: true })!.value.allowed,
				advice: decision.value.advice,
				session: sessions.find((s) => s.publication === p.id) ?? null,
				usual: usual.get(p.id) ?? null
			}
		];
	});
	return {
		name: caller.name,
		theme: locals.theme,
		shelf,
		factor: { on: hasFactor(db, { kind: 'person', id: caller.id }), given: caller.factor }
	};
};

export const actions = {
	open: async ({ request, locals }) => {
		const caller = locals.caller!;
		const publication = String((await request.formData()).get('publication') ?? '');
		const { connection } = await runtime().providers.broker.connect(
			caller.login,
			publication,
			caller.factor,
			`portal-${randomUUID()}`
		);
		redirect(303, `/my/desk/${connection}`);
	},
	factor: async ({ locals }) => {
		const caller = locals.caller!;
		const { secret, uri } = beginFactor(runtime().db, { kind: 'person', id: caller.id }, caller.login);
		return { factor: { secret, picture: await factorPicture(uri) } };
	},
	confirm: async ({ request, locals }) => {
		const caller = locals.caller!;
		const { db } = runtime();
		if (!confirmFactor(db, { kind: 'person', id: caller.id }, await codeIn(request)))
			return fail(422, { problem: 'This is not the code of this moment. Begin again, and give the newest one.' });
		raiseSignIn(db, caller.signIn!);
		return { done: 'Your second factor is on.' };
	},
	give: async ({ request, locals }) => {
		const caller = locals.caller!;
		const { db } = runtime();
		const form = await request.formData();
		const answer = useCode(db, { kind: 'person', id: caller.id }, String(form.get('code') ?? ''));
		if (answer !== 'right') return fail(422, { at: String(form.get('publication')), problem: CODE_PROBLEM[answer] });
		raiseSignIn(db, caller.signIn!);
		return { done: 'Thank you. It stays given until you sign out.' };
	},
	drop: async ({ request, locals }) => {
		const answer = dropFactor(runtime().db, { kind: 'person', id: locals.caller!.id }, await codeIn(request));
		return answer === 'right' ? { done: 'Your second factor is off.' } : fail(422, { problem: CODE_PROBLEM[answer] });
	},
	leave: ({ locals, cookies }) => {
		if (locals.caller?.signIn) endSignIn(runtime().db, locals.caller.signIn);
		cookies.delete('sextant-my', { path: '/' });
		redirect(303, '/my/sign-in');
	}
};

const codeIn = async (request: Request) => String((await request.formData()).get('code') ?? '');
