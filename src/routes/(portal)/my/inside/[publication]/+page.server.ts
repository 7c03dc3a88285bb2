import { error, fail, redirect } from '@sveltejs/kit';
import { speakerOf } from '$lib/core/portal/say';
import { OTHERWISE } from '$lib/core/reach/rules';
import { MINUTE } from '$lib/core/time/units';
import { personWords } from '$lib/server/directory';
import { Rate } from '$lib/server/identity/attempts';
import { factorsOf, giveFactor } from '$lib/server/portal';
import { ruleName } from '$lib/server/reach';
import { runtime } from '$lib/server/runtime';
import { shelfOf } from '$lib/server/shelf';

/** How often one person may look: nobody does so more often by hand. */
const LOOKS = new Rate(60, MINUTE);
/** Characters of a picture at most. */
const MOST = 4_000_000;

export const load = async ({ params, locals, url }) => {
	const caller = locals.caller!;
	const say = speakerOf(locals.language);
	const { db, clock, providers } = runtime();
	const now = clock.now();
	const item = shelfOf(db, caller.login, now, caller.factor)?.find((s) => s.id === params.publication);
	if (!item || (item.standing !== 'required' && item.standing !== 'fetched')) error(404, say('problem.gone'));
	if (item.reaches === null) redirect(303, '/my');
	const zone = personWords(db, caller.login, now)?.zone ?? 'Etc/UTC';
	const head = { id: item.id, name: item.name, now, zone, factor: factorsOf(runtime(), caller.id, url) };
	// What its grant asks for comes before what the rules do.
	if (!item.allowed) return { ...head, lack: item.lack, inside: null, rule: null };
	if (!LOOKS.take(caller.login)) error(429, say('problem.too-often'));
	const cut = item.reaches.indexOf('/');
	const id = item.reaches.slice(cut + 1);
	const inside = await providers.broker.inside(
		caller.login,
		item.reaches.startsWith('site/') ? { kind: 'site', host: id } : { kind: 'service', id },
		caller.factor
	);
	// What stands at the door is not ours: a picture that is none is not shown.
	if (inside.picture !== null && inside.picture.length > MOST) inside.picture = null;
	return { ...head, lack: null, inside, rule: inside.rule === OTHERWISE ? null : ruleName(db, inside.rule, now) };
};

export const actions = {
	/** What the rules ask for is shown here, where they ask. */
	give: async ({ request, locals, url }) => {
		const wrong = await giveFactor(
			runtime(),
			locals.caller!,
			url,
			await request.formData(),
			speakerOf(locals.language)
		);
		return wrong ? fail(422, wrong) : null;
	}
};
