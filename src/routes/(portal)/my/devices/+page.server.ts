import { fail } from '@sveltejs/kit';
import { CHANNELS } from '$lib/core/access/decide';
import { speakerOf } from '$lib/core/portal/say';
import { formOf } from '$lib/server/api/body';
import { testAccess } from '$lib/server/access';
import { personWords } from '$lib/server/directory';
import { changeFor, ownChannels, ownDevices, ownMachines } from '$lib/server/portal';
import { publicationsAt } from '$lib/server/publications';
import { runtime } from '$lib/server/runtime';
import { shelfOf } from '$lib/server/shelf';

export const load = ({ locals }) => {
	const caller = locals.caller!;
	const ctx = runtime();
	const { db, clock } = ctx;
	const now = clock.now();
	const names = new Map(publicationsAt(db, now).map((p) => [p.id, p.name]));
	const own = ownChannels(db, caller.id);
	// What somebody can open now, and which channels each lets through.
	const open = shelfOf(db, caller.login, now, caller.factor)!
		.filter((s) => s.allowed && (s.standing === 'required' || s.standing === 'fetched'))
		.map((s) => ({
			name: s.name,
			channels: testAccess(db, {
				login: caller.login,
				publication: s.id,
				at: now,
				address: null,
				managed: null,
				secondFactor: caller.factor
			})!.value.channels
		}));
	return {
		now,
		zone: personWords(db, caller.login, now)?.zone ?? 'Etc/UTC',
		machines: ownMachines(ctx, caller.id).map((m) => ({
			...m,
			publication: m.publication === null ? null : (names.get(m.publication) ?? m.publication)
		})),
		devices: ownDevices(db, caller.id, caller.login, now),
		asked: CHANNELS.some((c) => own[c] !== null),
		channels: CHANNELS.map((channel) => ({
			channel,
			pass: own[channel] !== false,
			refusedOn: open.filter((o) => !o.channels.includes(channel)).map((o) => o.name),
			of: open.length
		}))
	};
};

/** Carries a change of theirs out; what was typed comes back where it is refused. */
async function change(locals: App.Locals, kind: string, at: string, input: object, given: object = {}) {
	const caller = locals.caller!;
	const answer = await changeFor(runtime(), caller, speakerOf(locals.language), kind, {
		person: caller.login,
		...input
	});
	return 'refused' in answer ? { wrong: fail(answer.status, { at, problem: answer.refused, ...given }) } : answer;
}

/** What a machine of theirs is called by them. */
const called = (locals: App.Locals, machine: string): string =>
	ownMachines(runtime(), locals.caller!.id).find((m) => m.machine === machine)?.name ?? machine;

export const actions = {
	restart: async ({ request, locals }) => {
		const say = speakerOf(locals.language);
		const machine = (await formOf(request)).get('machine');
		const name = called(locals, machine);
		const answer = await change(locals, 'own.restart', machine, { machine });
		if ('wrong' in answer) return answer.wrong;
		return { at: machine, done: say('done.restarting', { name, span: say.span(answer.effects.duration.middle) }) };
	},
	mend: async ({ request, locals }) => {
		const say = speakerOf(locals.language);
		const machine = (await formOf(request)).get('machine');
		const name = called(locals, machine);
		const answer = await change(locals, 'own.mend', machine, { machine });
		if ('wrong' in answer) return answer.wrong;
		return { at: machine, done: say('done.mending', { name, span: say.span(answer.effects.duration.middle) }) };
	},
	rename: async ({ request, locals }) => {
		const say = speakerOf(locals.language);
		const form = await formOf(request);
		const [kind, thing, name] = [form.get('kind'), form.get('thing'), form.get('name').trim()];
		if (name.length > 60) return fail(422, { at: thing, problem: say('problem.name'), name });
		const answer = await change(locals, 'own.rename', thing, { kind, thing, name }, { name });
		if ('wrong' in answer) return answer.wrong;
		return { at: thing, done: say('done.renamed', { name: name || thing }) };
	},
	channels: async ({ request, locals }) => {
		const say = speakerOf(locals.language);
		const passing = (await formOf(request)).getAll('pass');
		const answer = await change(locals, 'own.channels', 'channels', {
			pass: Object.fromEntries(CHANNELS.map((c) => [c, passing.includes(c)]))
		});
		if ('wrong' in answer) return answer.wrong;
		return { at: 'channels', done: say('done.channels') };
	}
};
