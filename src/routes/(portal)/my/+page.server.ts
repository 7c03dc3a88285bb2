import { fail, redirect, type Cookies } from '@sveltejs/kit';
import { randomUUID } from 'node:crypto';
import { speakerOf } from '$lib/core/portal/say';
import { MINUTE } from '$lib/core/time/units';
import { formOf } from '$lib/server/api/body';
import { testAccess } from '$lib/server/access';
import { startTimes } from '$lib/server/packages';
import { cookieIn, dropCookie, FORGET, putCookie } from '$lib/server/identity/cookies';
import { endSignIn } from '$lib/server/identity/accounts';
import { Rate } from '$lib/server/identity/attempts';
import { COOKIES } from '$lib/server/identity/presented';
import { changeFor, factorsOf, giveFactor } from '$lib/server/portal';
import { publicationsAt } from '$lib/server/publications';
import { runtime } from '$lib/server/runtime';
import { appsOf, machinesKeptBy, requestsAt, sessionsOf, shelfOf, usualOpening } from '$lib/server/shelf';

export const load = async ({ locals, url, cookies }) => {
	const { caller } = locals;
	if (caller?.role !== 'person') redirect(303, '/my/sign-in');
	const { db, clock } = runtime();
	const now = clock.now();
	const sessions = sessionsOf(db, caller.id);
	const apps = appsOf(db, caller.id);
	const owned = machinesKeptBy(db, caller.id);
	const usual = usualOpening(db, now);
	const here = await sessionsHere(cookies, url);
	// On the shelf stands whatever a grant reaches; what its conditions shut right now says so.
	const shelf = shelfOf(db, caller.login, now, caller.factor)!.map(({ why: _why, by: _by, ...s }) => ({
		...s,
		wantsFactor:
			!s.allowed &&
			!s.off &&
			!caller.factor &&
			s.standing !== 'can ask' &&
			testAccess(db, {
				login: caller.login,
				publication: s.id,
				at: now,
				address: null,
				managed: null,
				secondFactor: true
			})!.value.allowed,
		session: s.app
			? (apps
					.filter((a) => a.package === s.app!.package && a.target === s.app!.target)
					.map((a) => ({ state: 'active', here: here.has(a.session) }))[0] ?? null)
			: (sessions.filter((x) => x.publication === s.id).map((x) => ({ state: x.state, here: here.has(x.id) }))[0] ??
				null),
		another: s.machines > 1 && owned > 0 && owned < s.machines,
		usual: (s.app ? startTimes(db, s.app.package, null, now)[0]?.ms : undefined) ?? usual.get(s.id) ?? null
	}));
	const requests = requestsAt(db, now);
	return {
		name: caller.name,
		/** They called their device their own, and may not. */
		notOwn: url.searchParams.get('stay') === 'no',
		shelf: shelf.filter((s) => s.standing === 'required' || s.standing === 'fetched'),
		more: shelf.filter((s) => s.standing === 'can fetch'),
		askable: shelf
			.filter((s) => s.standing === 'can ask')
			.map((s) => ({
				...s,
				asked: requests.find((r) => r.login === caller.login && r.publication === s.id) ?? null
			})),
		toAnswer: requests.filter((r) => r.owner === caller.login && r.answer === null),
		factor: factorsOf(runtime(), caller.id, url)
	};
};

/** What this browser has opened, by its connections: what else is open stands on another screen. */
const HERE = 'sextant-my-here';
const OPENED_HERE = 12;
const openedHere = (cookies: Cookies, url: URL): number[] =>
	(cookieIn(cookies, url, HERE) ?? '')
		.split('.', OPENED_HERE)
		.map(Number)
		.filter((n) => Number.isSafeInteger(n) && n > 0);

/** Sessions that were opened in this browser. */
async function sessionsHere(cookies: Cookies, url: URL): Promise<ReadonlySet<number>> {
	const { broker } = runtime().providers;
	const connections = await Promise.all(openedHere(cookies, url).map((id) => broker.connection(id)));
	return new Set(connections.flatMap((c) => c?.session ?? []));
}

/** Carries a change out; what is refused comes back with what was typed. */
async function change(locals: App.Locals, kind: string, input: object) {
	const answer = await changeFor(runtime(), locals.caller!, speakerOf(locals.language), kind, input);
	return 'refused' in answer ? fail(answer.status, { refused: answer.refused, ...input }) : null;
}

const text = (form: { get(name: string): string }, name: string) => form.get(name);

/** How often one person may ask for something to be opened: nobody does so by hand more often. */
const OPENS = new Rate(20, MINUTE);

export const actions = {
	open: async ({ request, locals, cookies, url }) => {
		const caller = locals.caller!;
		const say = speakerOf(locals.language);
		const form = await formOf(request);
		const publication = text(form, 'publication');
		if (!OPENS.take(caller.login)) return fail(429, { at: publication, problem: say('problem.too-often') });
		const wanted = publicationCalled(publication);
		if (!wanted) return fail(404, { at: publication, problem: say('problem.gone') });
		if (wanted.reaches !== null) redirect(303, `/my/inside/${encodeURIComponent(wanted.id)}`);
		const { connection } = await runtime().providers.broker.connect(
			caller.login,
			publication,
			caller.factor,
			`portal-${randomUUID()}`,
			text(form, 'another') !== ''
		);
		const opened = [connection, ...openedHere(cookies, url)].slice(0, OPENED_HERE);
		putCookie(cookies, url, HERE, opened.join('.'));
		redirect(303, `/my/desk/${connection}`);
	},
	fetch: async ({ request, locals }) => {
		const caller = locals.caller!;
		const form = await formOf(request);
		const wrong = await change(locals, 'shelf.fetch', { publication: text(form, 'publication'), person: caller.login });
		return wrong ?? { done: speakerOf(locals.language)('done.added') };
	},
	put: async ({ request, locals }) => {
		const caller = locals.caller!;
		const form = await formOf(request);
		const wrong = await change(locals, 'shelf.drop', {
			publication: text(form, 'publication'),
			people: [caller.login]
		});
		return wrong ?? { done: speakerOf(locals.language)('done.put-back') };
	},
	ask: async ({ request, locals }) => {
		const caller = locals.caller!;
		const form = await formOf(request);
		const wrong = await change(locals, 'request.make', {
			publication: text(form, 'publication'),
			person: caller.login,
			why: text(form, 'why')
		});
		return wrong ?? { done: speakerOf(locals.language)('done.asked') };
	},
	answer: async ({ request, locals }) => {
		const caller = locals.caller!;
		const form = await formOf(request);
		const id = Number(form.get('request'));
		const { db, clock } = runtime();
		const asked = requestsAt(db, clock.now()).find((r) => r.id === id);
		if (asked?.owner !== caller.login)
			return fail(403, { request: id, refused: speakerOf(locals.language)('problem.others') });
		const wrong = await change(locals, 'request.answer', {
			request: id,
			approve: form.get('approve') === 'yes',
			words: text(form, 'words')
		});
		return wrong ?? { done: speakerOf(locals.language)('done.answered') };
	},
	give: async ({ request, locals, url }) => {
		const say = speakerOf(locals.language);
		const form = await request.formData();
		const wrong = await giveFactor(runtime(), locals.caller!, url, form, say);
		return wrong ? fail(422, { at: form.get('publication'), ...wrong }) : { done: say('done.unlocked') };
	},
	leave: ({ locals, cookies, url, setHeaders }) => {
		if (locals.caller?.signIn) endSignIn(runtime().db, locals.caller.signIn);
		dropCookie(cookies, url, COOKIES.portal);
		setHeaders(FORGET);
		redirect(303, '/my/sign-in');
	}
};

const publicationCalled = (id: string) => {
	const { db, clock } = runtime();
	return publicationsAt(db, clock.now()).find((p) => p.id === id);
};
