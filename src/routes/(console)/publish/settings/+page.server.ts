import { unusedTerms } from '$lib/core/scope/scope';
import { sharedLoad } from '$lib/server/load';
import { settingsView } from '$lib/server/settings';

const LISTS = ['groups', 'effective', 'compare', 'settings'] as const;

export const load = sharedLoad(({ url, context, look, at }) => {
	const { searchParams: given } = url;
	const list = LISTS.find((l) => l === given.get('list')) ?? 'groups';
	const make = look.live ? given.get('make') : null;
	const view = settingsView(context.db, {
		list,
		at,
		scope: look.scope,
		of: given.get('of') ?? '',
		with: given.get('with') ?? '',
		then: given.get('then') ?? '',
		form: make === 'group' || list === 'effective' || list === 'compare',
		edit: given.get('edit')
	});
	return {
		...view,
		list,
		at,
		make,
		edit: given.get('edit'),
		asked: { of: given.get('of') ?? '', with: given.get('with') ?? '', then: given.get('then') ?? '' },
		left: unusedTerms(...view.left)
	};
});
