import { error, fail, redirect } from '@sveltejs/kit';
import { LRUCache } from 'lru-cache';
import { speakerOf } from '$lib/core/portal/say';
import { OTHERWISE } from '$lib/core/reach/rules';
import { MINUTE } from '$lib/core/time/units';
import { formOf } from '$lib/server/api/body';
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

/** Somebody who asks for a publication. */
interface Asked {
	params: { publication: string };
	locals: App.Locals;
}

/** What somebody is asked for at the door is so long at most. */
const LONGEST = 200;
/** What somebody has said that something is for stands for this long, by their sign-in: whoever looks again is not asked again. */
const SAID = new LRUCache<string, string>({ max: 10_000, ttl: 15 * MINUTE });
const saidKey = ({ params, locals }: Asked): string =>
	`${locals.caller!.login}/${locals.caller!.signIn}/${params.publication}`;

/** What of somebody's shelf a browser alone opens, by its id; ends the request where there is none such. */
function itemOf({ params, locals }: Asked) {
	const caller = locals.caller!;
	const { db, clock } = runtime();
	const now = clock.now();
	const item = shelfOf(db, caller.login, now, caller.factor)?.find((s) => s.id === params.publication);
	if (!item || (item.standing !== 'required' && item.standing !== 'fetched'))
		error(404, speakerOf(locals.language)('problem.gone'));
	return { item, now };
}

/** Goes there, for what they say it is for, where they say it. */
async function goThere({ locals }: Asked, reaches: string, now: number, reason: string | null) {
	const caller = locals.caller!;
	if (!LOOKS.take(caller.login)) error(429, speakerOf(locals.language)('problem.too-often'));
	const { db, providers } = runtime();
	const id = reaches.slice(reaches.indexOf('/') + 1);
	const inside = await providers.broker.inside(
		caller.login,
		reaches.startsWith('site/') ? { kind: 'site', host: id } : { kind: 'service', id },
		caller.factor,
		reason
	);
	// What stands at the door is not ours: a picture that is none is not shown.
	if (inside.picture !== null && inside.picture.length > MOST) inside.picture = null;
	return { inside, rule: inside.rule === OTHERWISE ? null : ruleName(db, inside.rule, now) };
}

export const load = async (event) => {
	const caller = event.locals.caller!;
	const { item, now } = itemOf(event);
	if (item.reaches === null) redirect(303, '/my');
	const zone = personWords(runtime().db, caller.login, now)?.zone ?? 'Etc/UTC';
	const head = { id: item.id, name: item.name, now, zone, factor: factorsOf(runtime(), caller.id, event.url) };
	// What its grant asks for comes before what the rules do.
	if (!item.allowed) return { ...head, lack: item.lack, inside: null, rule: null };
	return { ...head, lack: null, ...(await goThere(event, item.reaches, now, SAID.get(saidKey(event)) ?? null)) };
};

export const actions = {
	/** What it is for is said here, where the rules ask: they go there with it, and it is kept with what was reached. */
	say: async (event) => {
		const { item } = itemOf(event);
		if (item.reaches === null || !item.allowed) error(404, speakerOf(event.locals.language)('problem.gone'));
		const said = (await formOf(event.request)).get('for');
		const reason = typeof said === 'string' ? said.trim() : '';
		if (reason === '' || reason.length > LONGEST)
			return fail(422, {
				given: 'reason' as const,
				problem: speakerOf(event.locals.language)('inside.say'),
				said: reason
			});
		SAID.set(saidKey(event), reason);
		return null;
	},
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
