import { redirect } from '@sveltejs/kit';
import { FOREVER } from '$lib/core/time/units';
import { testAccess } from '$lib/server/access/circumstances';
import { all } from '$lib/server/db';
import { endSignIn } from '$lib/server/identity/accounts';
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
		const decision = testAccess(db, {
			login: caller.login,
			publication: p.id,
			at: now,
			address: null,
			managed: null,
			secondFactor: caller.factor
		})!;
		if (decision.value.grant === null) return [];
		return [
			{
				id: p.id,
				name: p.name,
				icon: p.icon,
				allowed: decision.value.allowed,
				advice: decision.value.advice,
				session: sessions.find((s) => s.publication === p.id) ?? null,
				usual: usual.get(p.id) ?? null
			}
		];
	});
	return { name: caller.name, theme: locals.theme, shelf };
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
	leave: ({ locals, cookies }) => {
		if (locals.caller?.signIn) endSignIn(runtime().db, locals.caller.signIn);
		cookies.delete('sextant-my', { path: '/' });
		redirect(303, '/my/sign-in');
	}
};
