import { error, redirect } from '@sveltejs/kit';
import { askedPlan, planById } from '$lib/server/plans';
import { runtime, wholeRuntime } from '$lib/server/runtime';

export const load = async ({ params, url, depends, locals }) => {
	depends('sextant:live');
	const shown = planById(runtime().db, Number(params.id));
	if (!shown) error(404, `There is no plan ${params.id}.`);
	// A draft is reviewed with the tray at hand, and one that waits for consent here.
	if (shown.state === 'draft' && !shown.asked && url.searchParams.get('plan') !== params.id)
		redirect(303, `/?plan=${shown.id}`);
	return { shown, consent: shown.asked ? await askedPlan(wholeRuntime(), locals.caller!, shown.id) : null };
};
