import { error, redirect } from '@sveltejs/kit';
import { planById } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

export const load = ({ params, url, depends }) => {
	depends('sextant:live');
	const shown = planById(runtime().db, Number(params.id));
	if (!shown) error(404, `There is no plan ${params.id}.`);
	// A draft is reviewed with the tray at hand.
	if (shown.state === 'draft' && url.searchParams.get('plan') !== params.id) redirect(303, `/?plan=${shown.id}`);
	return { shown };
};
