import { error, redirect } from '@sveltejs/kit';
import { publicationsAt } from '$lib/server/publishing/queries';
import { runtime } from '$lib/server/runtime';
import { usualPhases } from '$lib/server/watch/queries';
import { testAccess } from '$lib/server/access/circumstances';

const own = async (id: string, login: string) => {
	const progress = await runtime().providers.broker.connection(Number(id));
	if (!progress || progress.person !== login) error(404, 'This desktop is no longer being opened.');
	return progress;
};

export const load = async ({ params, locals }) => {
	const caller = locals.caller!;
	const progress = await own(params.connection, caller.login);
	const { db, clock } = runtime();
	const decision = testAccess(db, {
		login: caller.login,
		publication: progress.publication,
		at: clock.now(),
		address: null,
		managed: null,
		secondFactor: caller.factor
	});
	return {
		progress,
		usual: usualPhases(db, clock.now()),
		person: caller.name,
		name: publicationsAt(db, clock.now()).find((p) => p.id === progress.publication)?.name ?? progress.publication,
		channels: decision?.value.channels ?? [],
		theme: locals.theme
	};
};

export const actions = {
	disconnect: async ({ params, locals }) => {
		const progress = await own(params.connection, locals.caller!.login);
		if (progress.session !== null) await runtime().providers.broker.disconnect(progress.session);
		redirect(303, '/my');
	},
	signout: async ({ params, locals }) => {
		const progress = await own(params.connection, locals.caller!.login);
		if (progress.session !== null)
			await runtime().providers.agent.signOut(
				progress.session,
				'the person signed out',
				`portal-${params.connection}-out`
			);
		redirect(303, '/my');
	}
};
