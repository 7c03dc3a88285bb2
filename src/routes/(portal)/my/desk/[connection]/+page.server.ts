import { error, fail, redirect } from '@sveltejs/kit';
import { randomUUID } from 'node:crypto';
import { CHANNELS } from '$lib/core/access/decide';
import { isPassage } from '$lib/core/reach/channels';
import { speakerOf } from '$lib/core/portal/say';
import { MINUTE } from '$lib/core/time/units';
import { formOf } from '$lib/server/api/body';
import { Rate } from '$lib/server/identity/attempts';
import { testAccess } from '$lib/server/access';
import { startTimes } from '$lib/server/packages';
import { personWords } from '$lib/server/directory';
import { changeFor, passing, passOnce, waysThrough } from '$lib/server/portal';
import { publicationsAt } from '$lib/server/publications';
import { runtime } from '$lib/server/runtime';
import { isNamedAcross } from '$lib/server/settings';
import { poolOf, shelfOf, windowsIn } from '$lib/server/shelf';
import { usualPhases } from '$lib/server/watch';

/** How often one person may start an app. */
const STARTS = new Rate(20, MINUTE);
/** How often one person may let something pass, and how much at once, bytes: nobody moves more by hand. */
const PASSES = new Rate(60, MINUTE);
const MOST = 1e12;
/** What something is for is said in so many characters. */
const LONGEST = 200;

const own = async (id: string, login: string) => {
	const progress = await runtime().providers.broker.connection(Number(id));
	if (!progress || progress.person !== login) error(404, 'This is no longer being opened.');
	return progress;
};

export const load = async ({ params, locals }) => {
	const caller = locals.caller!;
	const progress = await own(params.connection, caller.login);
	const { db, clock } = runtime();
	const now = clock.now();
	const decision = testAccess(db, {
		login: caller.login,
		publication: progress.publication,
		at: now,
		address: null,
		managed: null,
		secondFactor: caller.factor
	});
	const publication = publicationsAt(db, now).find((p) => p.id === progress.publication);
	const here = poolOf(db, progress.machine);
	return {
		progress,
		usual: usualPhases(db, now),
		person: caller.name,
		name: publication?.name ?? progress.publication,
		app: publication?.app ?? null,
		starts: publication?.app ? startTimes(db, publication.app.package, null, now) : [],
		windows: windowsIn(db, progress.session, now),
		/** What can be started on this machine, of the person's shelf. */
		startable: publication?.app
			? []
			: shelfOf(db, caller.login, now, caller.factor)!.filter(
					(s) =>
						s.app &&
						s.allowed &&
						(s.standing === 'required' || s.standing === 'fetched') &&
						publicationsAt(db, now).some((p) => p.id === s.id && here !== undefined && p.pools.includes(here))
				),
		channels: passing(db, caller.id, decision?.value.channels ?? []),
		/** What passes the session now, by each way, and what keeps the rest. */
		ways: await waysThrough(runtime(), caller.id, progress.id),
		/** Why it may not be opened, where it may not. */
		lack: decision?.value.lack ?? null,
		/** Whether their name stands across the screen. */
		across: progress.machine !== null && isNamedAcross(db, caller.login, progress.machine, now),
		/** The clock of the person's site. */
		now,
		zone: personWords(db, caller.login, now)?.zone ?? 'Etc/UTC'
	};
};

export const actions = {
	/** What they have been asked about once: what they let through, and what not. */
	ask: async ({ request, params, locals }) => {
		const caller = locals.caller!;
		await own(params.connection, caller.login);
		const form = await formOf(request);
		const passed = form.getAll('pass');
		const asked = CHANNELS.filter((c) => form.getAll('asked').includes(c));
		const answer = await changeFor(runtime(), caller, speakerOf(locals.language), 'own.channels', {
			person: caller.login,
			pass: Object.fromEntries(asked.map((c) => [c, passed.includes(c)]))
		});
		return 'refused' in answer ? fail(answer.status, { refused: answer.refused }) : { asked };
	},
	/** Something is to pass between the session and the device: so many bytes, one way. */
	pass: async ({ request, params, locals }) => {
		const caller = locals.caller!;
		const progress = await own(params.connection, caller.login);
		const say = speakerOf(locals.language);
		const form = await formOf(request);
		const passage = form.get('passage');
		const size = form.get('bytes');
		const bytes = typeof size === 'string' && /^\d{1,13}$/.test(size) ? Number(size) : null;
		if (typeof passage !== 'string' || !isPassage(passage) || bytes === null || bytes > MOST)
			return fail(422, { refused: say('pass.what') });
		const said = form.get('for');
		const reason = typeof said === 'string' && said.trim() !== '' ? said.trim().slice(0, LONGEST) : null;
		if (!PASSES.take(caller.login)) return fail(429, { refused: say('problem.too-often') });
		return { passage, bytes, kept: await passOnce(runtime(), caller.id, progress.id, passage, bytes, reason) };
	},
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
	},
	start: async ({ request, params, locals }) => {
		const caller = locals.caller!;
		await own(params.connection, caller.login);
		const publication = (await formOf(request)).get('publication');
		const { db, clock } = runtime();
		if (!STARTS.take(caller.login)) error(429, speakerOf(locals.language)('problem.too-often'));
		if (!publicationsAt(db, clock.now()).some((p) => p.id === publication))
			error(404, speakerOf(locals.language)('problem.gone'));
		const { connection } = await runtime().providers.broker.connect(
			caller.login,
			publication,
			caller.factor,
			`portal-${randomUUID()}`
		);
		return { started: connection };
	},
	close: async ({ request, params, locals }) => {
		const caller = locals.caller!;
		const progress = await own(params.connection, caller.login);
		const run = Number((await formOf(request)).get('run'));
		// It may have been closed already, with its session.
		await runtime()
			.providers.agent.closeApp(caller.login, run)
			.catch(() => {});
		if (run === progress.run) redirect(303, '/my');
		return { closed: run };
	}
};
