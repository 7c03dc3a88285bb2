import * as v from 'valibot';
import { AS_FOUND, imageWords } from '$lib/core/images/versions';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, FOREVER, MINUTE, SECOND } from '$lib/core/time/units';
import type { Context } from '../context';
import { all } from '../db';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { sessionsOn } from './queries';

interface OpenSession {
	id: number;
	person: string;
	login: string;
	machine: string;
}

function openSessions(ctx: Context, ids: number[]): OpenSession[] {
	const found = all<OpenSession>(
		ctx.db,
		`SELECT s.id, pe.name AS person, pe.login, m.name AS machine FROM sessions s JOIN people pe ON pe.id = s.person_id JOIN machines m ON m.id = s.machine_id
		 WHERE s.until = ${FOREVER} AND s.id IN (SELECT value FROM json_each(?)) ORDER BY pe.name`,
		[JSON.stringify(ids)]
	);
	if (found.length === 0)
		throw new InputProblem([
			{
				field: 'sessions',
				words: ids.length === 1 ? 'This session has ended already.' : 'These sessions have ended already.'
			}
		]);
	return found;
}

const sessionIds = v.pipe(v.array(v.pipe(v.number(), v.integer())), v.minLength(1, 'Choose at least one session.'));
const peopleOf = (sessions: { login: string; person: string }[], how: string) => [
	...new Map(sessions.map((s) => [s.login, { kind: 'person', id: s.login, name: s.person, how }])).values()
];

const signOut = planKind({
	kind: 'session.sign-out',
	words: 'Sign people out of their sessions',
	area: 'sessions',
	undo: 'never',
	schema: v.strictObject({ sessions: sessionIds }),
	async draft(ctx, input): Promise<Draft> {
		const sessions = openSessions(ctx, input.sessions);
		return {
			title:
				sessions.length === 1
					? `Sign ${sessions[0]!.person} out of ${sessions[0]!.machine}`
					: `Sign ${countWords(sessions.length, 'person', 'people')} out`,
			effects: {
				...noEffects(),
				people: peopleOf(sessions, 'signed out'),
				sessionsEnded: sessions.map((s) => ({ kind: 'session', id: String(s.id), name: s.person })),
				duration: { middle: 10 * SECOND, ninety: 15 * SECOND }
			},
			warnings: [{ words: 'what they have not saved is lost', side: 'against' }],
			blocks: [],
			reasons: sessions.map((s) => ({
				words: `${s.person} is on ${s.machine}`,
				source: 'measured',
				about: { kind: 'session', id: String(s.id) }
			})),
			objects: sessions.map((s) => `session/${s.id}`),
			steps: [
				{
					kind: 'session.sign-out',
					words: `Sign ${countWords(sessions.length, 'session')} out`,
					input: { sessions: sessions.map((s) => s.id) },
					expected: 10 * SECOND
				}
			],
			undo: null,
			undoWords: 'No: people sign in again by themselves.'
		};
	}
});

const message = planKind({
	kind: 'session.message',
	words: 'Show people a message on their desktop',
	area: 'sessions',
	undo: 'never',
	schema: v.strictObject({
		sessions: sessionIds,
		text: v.pipe(v.string(), v.trim(), v.nonEmpty('Write the message.'), v.maxLength(400, 'At most 400 characters.'))
	}),
	async draft(ctx, input): Promise<Draft> {
		const sessions = openSessions(ctx, input.sessions);
		return {
			title: `Message ${sessions.length === 1 ? sessions[0]!.person : countWords(sessions.length, 'person', 'people')}`,
			effects: { ...noEffects(), people: peopleOf(sessions, 'sees a message') },
			warnings: [],
			blocks: [],
			reasons: [{ words: `they will read: “${input.text}”`, source: 'you' }],
			objects: sessions.map((s) => `session/${s.id}`),
			steps: [
				{
					kind: 'session.message',
					words: 'Show the message',
					input: { sessions: sessions.map((s) => s.id), text: input.text },
					expected: 1000
				}
			],
			undo: null,
			undoWords: 'No: what was read was read.'
		};
	}
});

const machineNames = v.pipe(v.array(v.string()), v.minLength(1, 'Choose at least one machine.'));

interface PoweredMachine {
	id: number;
	name: string;
	state: string;
	version: string;
	line: string;
}

function machinesOrThrow(ctx: Context, names: string[]): PoweredMachine[] {
	const found = all<PoweredMachine>(
		ctx.db,
		`SELECT m.id, m.name, st.state, pl.version, pl.line_id AS line FROM machines m
		 JOIN machine_states st ON st.machine_id = m.id AND st.until = ${FOREVER} JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER}
		 WHERE m.until = ${FOREVER} AND m.name IN (SELECT value FROM json_each(?)) ORDER BY m.name`,
		[JSON.stringify(names)]
	);
	const missing = names.find((n) => !found.some((m) => m.name === n));
	if (missing) throw new InputProblem([{ field: 'machines', words: `There is no machine ${missing}.` }]);
	return found;
}

type PowerKind = 'machine.start' | 'machine.stop' | 'machine.restart' | 'machine.reset';

/** A plan that does the same to each of some machines. */
function powerPlan<K extends PowerKind>(
	kind: K,
	words: string,
	verb: string,
	step: {
		words: string;
		usual: number;
		endsSessions: boolean;
		needs: (m: PoweredMachine) => string | null;
		undo: 'machine.start' | 'machine.stop' | null;
		undoWords: string;
	}
) {
	return planKind({
		kind,
		words,
		area: 'sessions',
		undo: step.undo ? 'back' : 'never',
		schema: v.strictObject({ machines: machineNames }),
		async draft(ctx, input): Promise<Draft> {
			const machines = machinesOrThrow(ctx, input.machines);
			const sessions = step.endsSessions
				? sessionsOn(
						ctx.db,
						machines.map((m) => m.id)
					)
				: [];
			const one = machines.length === 1 ? machines[0]!.name : countWords(machines.length, 'machine');
			const rounds = Math.ceil(machines.length / 8);
			return {
				title: `${verb} ${one}`,
				effects: {
					...noEffects(),
					people: peopleOf(sessions, 'signed out'),
					sessionsEnded: sessions.map((s) => ({ kind: 'session', id: String(s.id), name: s.person })),
					machines: machines.map((m) => ({ kind: 'machine', id: m.name, name: m.name, how: step.words })),
					duration: { middle: rounds * step.usual, ninety: rounds * step.usual * 1.6 }
				},
				warnings: sessions.length
					? [
							{
								words: `${countWords(sessions.length, 'session')} end, and what is not saved in them is lost`,
								side: 'against'
							}
						]
					: [],
				blocks: machines.flatMap((m) => {
					const why = step.needs(m);
					return why
						? [{ words: `${m.name} ${why}`, side: 'against' as const, about: { kind: 'machine', id: m.name } }]
						: [];
				}),
				reasons: machines.slice(0, 12).map((m) => ({
					words: `${m.name} is ${m.state}, ${m.version === AS_FOUND ? imageWords(m.line, m.version) : `on ${m.line} ${m.version}`}`,
					source: 'measured',
					about: { kind: 'machine', id: m.name }
				})),
				objects: machines.map((m) => `machine/${m.name}`),
				steps: [
					stepOf<PowerKind>(kind, `${verb} ${one}`, { machines: machines.map((m) => m.name) }, rounds * step.usual)
				],
				undo: step.undo ? { kind: step.undo, input } : null,
				undoWords: step.undoWords
			};
		}
	});
}

const start = powerPlan('machine.start', 'Start machines', 'Start', {
	words: 'started',
	usual: 2 * MINUTE,
	endsSessions: false,
	needs: (m) => (m.state === 'off' || m.state === 'failed' ? null : `is ${m.state} already`),
	undo: 'machine.stop',
	undoWords: 'Yes: they are stopped again. The pool’s policy may stop them before.'
});
const stop = powerPlan('machine.stop', 'Stop machines', 'Stop', {
	words: 'stopped',
	usual: 10 * SECOND,
	endsSessions: true,
	needs: (m) => (m.state === 'off' ? 'is off already' : null),
	undo: 'machine.start',
	undoWords: 'Yes: they are started again; sessions do not come back.'
});
const restart = powerPlan('machine.restart', 'Restart machines', 'Restart', {
	words: 'restarted',
	usual: 2.5 * MINUTE,
	endsSessions: true,
	needs: (m) => (m.state === 'off' ? 'is off: start it' : null),
	undo: null,
	undoWords: 'No: sessions on it do not come back.'
});
const reset = powerPlan('machine.reset', 'Reset machines to their image version', 'Reset', {
	words: 'reset to its image',
	usual: 4 * MINUTE,
	endsSessions: true,
	needs: (m) => (m.version === AS_FOUND ? 'was taken over as it was: there is no image to go back to' : null),
	undo: null,
	undoWords: 'No: what was changed on the machine is gone.'
});

export const sessionPlans = [signOut, message, start, stop, restart, reset];
