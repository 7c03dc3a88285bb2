import { fail, redirect } from '@sveltejs/kit';
import { randomUUID } from 'node:crypto';
import { MINUTE } from '$lib/core/time/units';
import { formOf } from '$lib/server/api/body';
import { testAccess } from '$lib/server/access';
import { startTimes } from '$lib/server/packages';
import type { Caller } from '$lib/server/identity/caller';
import { endOthers, endSignIn, noteOwn, PASSWORD, raiseSignIn } from '$lib/server/identity/accounts';
import { Rate, throttleOf } from '$lib/server/identity/attempts';
import { beginFactor, CODE_PROBLEM, confirmFactor, dropFactor, hasFactor, useCode } from '$lib/server/identity/factor';
import { factorPicture } from '$lib/server/identity/picture';
import { jobById } from '$lib/server/jobs';
import { commitPlan, draftPlan, PlanRefused } from '$lib/server/plans';
import { InputProblem } from '$lib/server/plans/kind';
import { publicationsAt } from '$lib/server/publications';
import { runtime } from '$lib/server/runtime';
import { appsOf, machinesKeptBy, requestsAt, sessionsOf, shelfOf, usualOpening } from '$lib/server/shelf';

export const load = ({ locals }) => {
	const { caller } = locals;
	if (caller?.role !== 'person') redirect(303, '/my/sign-in');
	const { db, clock } = runtime();
	const now = clock.now();
	const sessions = sessionsOf(db, caller.id);
	const apps = appsOf(db, caller.id);
	const owned = machinesKeptBy(db, caller.id);
	const usual = usualOpening(db, now);
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
					.map((a) => ({ machine: a.machine, state: 'active' }))[0] ?? null)
			: (sessions.find((x) => x.publication === s.id) ?? null),
		another: s.machines > 1 && owned > 0 && owned < s.machines,
		usual: (s.app ? startTimes(db, s.app.package, null, now)[0]?.ms : undefined) ?? usual.get(s.id) ?? null
	}));
	const requests = requestsAt(db, now);
	return {
		name: caller.name,
		theme: locals.theme,
		shelf: shelf.filter((s) => s.standing === 'required' || s.standing === 'fetched'),
		more: shelf.filter((s) => s.standing === 'can fetch'),
		askable: shelf
			.filter((s) => s.standing === 'can ask')
			.map((s) => ({
				...s,
				asked: requests.find((r) => r.login === caller.login && r.publication === s.id) ?? null
			})),
		toAnswer: requests.filter((r) => r.owner === caller.login && r.answer === null),
		factor: { on: hasFactor(db, { kind: 'person', id: caller.id }), given: caller.factor }
	};
};

/** Carries a change of the person's own out, as every change is: plan, commit, job; and waits until the job has ended. */
async function change(caller: Caller, kind: string, input: object) {
	const ctx = runtime();
	if (!CHANGES.take(caller.login)) return fail(429, { refused: TOO_OFTEN, ...input });
	try {
		const plan = await draftPlan(ctx, caller, kind, input, 'portal');
		if (plan.blocks.length) return fail(422, { refused: plan.blocks.map((b) => b.words).join('; '), ...input });
		const job = await commitPlan(ctx, caller, plan.id, null, 'portal');
		ctx.wake();
		for (let i = 0; i < 100; i++) {
			const row = jobById(ctx.db, job, ctx.clock.now());
			if (row?.ended)
				return row.state === 'done' ? null : fail(500, { refused: row.error ?? 'It did not work.', ...input });
			await new Promise((resolve) => setTimeout(resolve, 50));
		}
		return null;
	} catch (e) {
		if (e instanceof InputProblem || e instanceof PlanRefused) return fail(422, { refused: e.message, ...input });
		throw e;
	}
}

const text = (form: { get(name: string): string }, name: string) => form.get(name);

/** How often one person may ask for something to be opened, and change something: nobody does so by hand more often. */
const OPENS = new Rate(20, MINUTE);
const CHANGES = new Rate(30, MINUTE);
const TOO_OFTEN = 'That was very often within a minute. Wait a moment, then try again.';

export const actions = {
	open: async ({ request, locals }) => {
		const caller = locals.caller!;
		const form = await formOf(request);
		const publication = text(form, 'publication');
		if (!OPENS.take(caller.login)) return fail(429, { at: publication, problem: TOO_OFTEN });
		if (!isPublication(publication)) return fail(404, { refused: 'There is nothing of that name any more.' });
		const { connection } = await runtime().providers.broker.connect(
			caller.login,
			publication,
			caller.factor,
			`portal-${randomUUID()}`,
			text(form, 'another') !== ''
		);
		redirect(303, `/my/desk/${connection}`);
	},
	fetch: async ({ request, locals }) => {
		const caller = locals.caller!;
		const form = await formOf(request);
		const wrong = await change(caller, 'shelf.fetch', { publication: text(form, 'publication'), person: caller.login });
		return wrong ?? { done: 'It is on your shelf.' };
	},
	put: async ({ request, locals }) => {
		const caller = locals.caller!;
		const form = await formOf(request);
		const wrong = await change(caller, 'shelf.drop', {
			publication: text(form, 'publication'),
			people: [caller.login]
		});
		return wrong ?? { done: 'It is off your shelf.' };
	},
	ask: async ({ request, locals }) => {
		const caller = locals.caller!;
		const form = await formOf(request);
		const wrong = await change(caller, 'request.make', {
			publication: text(form, 'publication'),
			person: caller.login,
			why: text(form, 'why')
		});
		return wrong ?? { done: 'You have asked for it. The answer will stand here.' };
	},
	answer: async ({ request, locals }) => {
		const caller = locals.caller!;
		const form = await formOf(request);
		const id = Number(form.get('request'));
		const { db, clock } = runtime();
		const asked = requestsAt(db, clock.now()).find((r) => r.id === id);
		if (asked?.owner !== caller.login) return fail(403, { refused: 'Somebody else answers this request.' });
		const wrong = await change(caller, 'request.answer', {
			request: id,
			approve: form.get('approve') === 'yes',
			words: text(form, 'words')
		});
		return wrong ?? { done: 'Answered.' };
	},
	password: async ({ request, locals }) => {
		const caller = locals.caller!;
		const ctx = runtime();
		const form = await formOf(request);
		const next = form.get('next');
		if (next.length < PASSWORD.least || next.length > PASSWORD.most)
			return fail(422, { wrong: { next: `From ${PASSWORD.least} to ${PASSWORD.most} characters.` } });
		const guess = throttleOf(ctx.db).begin({ account: `my/password/${caller.id}`, address: null });
		if ('outcome' in guess)
			return fail(429, { wrong: { before: `Too many attempts. Wait ${guess.waitMinutes} min.` } });
		if (!(await ctx.providers.directory.verify(caller.login, form.get('before').slice(0, PASSWORD.most))))
			return fail(422, { wrong: { before: 'This is not the password that you have now.' } });
		guess.right();
		if (next === form.get('before')) return fail(422, { wrong: { next: 'It is the one that you have now.' } });
		await ctx.providers.directory.setPassword(caller.login, next, `portal-${randomUUID()}`);
		endOthers(ctx.db, caller);
		noteOwn(ctx, caller, 'person.password', `${caller.name} has changed their password`);
		return { done: 'Your password is changed. Everywhere else you have been signed out.' };
	},
	factor: async ({ locals }) => {
		const caller = locals.caller!;
		const { secret, uri } = beginFactor(runtime(), { kind: 'person', id: caller.id }, caller.login);
		return { factor: { secret, picture: await factorPicture(uri) } };
	},
	confirm: async ({ request, locals }) => {
		const caller = locals.caller!;
		const ctx = runtime();
		if (!confirmFactor(ctx, { kind: 'person', id: caller.id }, await codeIn(request)))
			return fail(422, { problem: 'This is not the code of this moment. Begin again, and give the newest one.' });
		raiseSignIn(ctx.db, caller.signIn!);
		endOthers(ctx.db, caller);
		noteOwn(ctx, caller, 'person.factor', `${caller.name} has switched their second factor on`);
		return { done: 'Your second factor is on.' };
	},
	give: async ({ request, locals }) => {
		const caller = locals.caller!;
		const { db } = runtime();
		const form = await formOf(request);
		const answer = useCode(runtime(), { kind: 'person', id: caller.id }, form.get('code'));
		if (answer !== 'right') return fail(422, { at: form.get('publication'), problem: CODE_PROBLEM[answer] });
		raiseSignIn(db, caller.signIn!);
		return { done: 'Thank you. It stays given until you sign out.' };
	},
	drop: async ({ request, locals }) => {
		const ctx = runtime();
		const caller = locals.caller!;
		const answer = dropFactor(ctx, { kind: 'person', id: caller.id }, await codeIn(request));
		if (answer !== 'right') return fail(422, { problem: CODE_PROBLEM[answer] });
		endOthers(ctx.db, caller);
		noteOwn(ctx, caller, 'person.factor', `${caller.name} has switched their second factor off`);
		return { done: 'Your second factor is off.' };
	},
	leave: ({ locals, cookies }) => {
		if (locals.caller?.signIn) endSignIn(runtime().db, locals.caller.signIn);
		cookies.delete('sextant-my', { path: '/' });
		redirect(303, '/my/sign-in');
	}
};

const codeIn = async (request: Request) => (await formOf(request)).get('code');

const isPublication = (id: string): boolean => {
	const { db, clock } = runtime();
	return publicationsAt(db, clock.now()).some((p) => p.id === id);
};
