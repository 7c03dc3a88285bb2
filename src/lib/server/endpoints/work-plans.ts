import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, durationWords, MINUTE, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Db } from '../db';
import { rowAt } from '../db/intervals';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { LOOK_LASTS } from './looking';
import { endpointById, openFrom, wakersAt, type EndpointRow } from './queries';

/** What is done to devices themselves: woken, restarted, locked, shown a text, forgotten, known again. */

const against = (words: string): Fact => ({ words, side: 'against', source: 'endpoints' });
/** Devices that one plan is about, and those that are said one by one. */
export const MANY = 500;
const SAID = 12;

const NUMBER = 'Name each by its number.';
export const someEndpoints = v.pipe(
	v.array(v.pipe(v.number(NUMBER), v.safeInteger(NUMBER), v.minValue(1, NUMBER))),
	v.minLength(1, 'Say which.'),
	v.maxLength(MANY, `At most ${MANY} at once.`)
);

/** The devices that an input names; throws beside each that is not known. */
export function namedEndpoints(db: Db, ids: readonly number[], now: number): EndpointRow[] {
	const problems: { field: string; words: string }[] = [];
	const rows = [...new Set(ids)].flatMap((id, i) => {
		const e = endpointById(db, id, now);
		if (!e) problems.push({ field: `endpoints.${i}`, words: `There is no endpoint ${id}.` });
		return e ? [e] : [];
	});
	if (problems.length) throw new InputProblem(problems);
	return rows;
}

/** What a plan about devices is called by: one by its name, more by how many. */
export const called = (rows: readonly { name: string }[]): string =>
	rows.length === 1 ? rows[0]!.name : countWords(rows.length, 'endpoint');

const wake = planKind({
	kind: 'endpoint.wake',
	words: 'Wake endpoints that sleep, by a neighbour in the same network that is awake',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({ endpoints: someEndpoints }),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const named = namedEndpoints(ctx.db, input.endpoints, now);
		const rows = named.filter((e) => e.state === 'asleep');
		const waker = wakersAt(ctx.db, now);
		const seen = rows.map((e) => ({ e, waker: waker(e) }));
		const can = seen.flatMap((s) => ('by' in s.waker ? [{ e: s.e, by: s.waker.by }] : []));
		const cannot = seen.flatMap((s) => ('why' in s.waker ? [against(`${s.e.name}: ${s.waker.why}`)] : []));
		return {
			title: `Wake ${called(can.length ? can.map((c) => c.e) : named)}`,
			effects: {
				...noEffects(),
				endpoints: can.map(({ e, by }) => ({
					kind: 'endpoint',
					id: String(e.id),
					name: e.name,
					how: `woken by ${by.name}`,
					helped: true
				})),
				duration: { middle: 30 * SECOND, ninety: 2 * MINUTE }
			},
			warnings: can.length ? cannot.slice(0, SAID) : [],
			blocks: rows.length === 0 ? [against('they are awake already')] : can.length ? [] : cannot.slice(0, SAID),
			reasons: [
				{ words: 'the signal reaches no further than a network: a neighbour in it sends it', source: 'endpoints' },
				...can.slice(0, SAID).map(({ e, by }) => ({ words: `${by.name} wakes ${e.name}`, source: 'endpoints' }))
			],
			objects: can.map(({ e }) => `endpoint/${e.id}`),
			steps: [
				stepOf(
					'endpoint.wake',
					'Send the signal, and wait until they call in',
					{ endpoints: can.map((c) => c.e.id) },
					30_000
				)
			],
			undo: null,
			undoWords: 'They go to sleep again by themselves while nobody is on them.'
		};
	}
});

const forget = planKind({
	kind: 'endpoint.forget',
	words: 'Forget endpoints that are gone for good: their certificates are revoked',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ endpoints: someEndpoints }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const rows = namedEndpoints(db, input.endpoints, now);
		return {
			title: `Forget ${called(rows)}`,
			effects: {
				...noEffects(),
				people: rows.flatMap((e) =>
					e.person === null
						? []
						: [
								{
									kind: 'person' as const,
									id: e.person,
									name: e.personName ?? e.person,
									how: `${e.name} is forgotten`
								}
							]
				),
				endpoints: rows.map((e) => ({ kind: 'endpoint', id: String(e.id), name: e.name, how: 'forgotten' })),
				duration: { middle: SECOND, ninety: 2 * SECOND }
			},
			warnings: rows
				.filter((e) => e.state === 'awake')
				.slice(0, SAID)
				.map((e) => against(`${e.name} is awake${e.on === null ? '' : `, ${e.personName ?? e.on} is on it`}`)),
			blocks: [],
			reasons: [
				{ words: 'what they were stays in views of the past; one that calls in again is new', source: 'endpoints' }
			],
			objects: rows.map((e) => `endpoint/${e.id}`),
			steps: [
				stepOf(
					'endpoint.forget',
					'Revoke their certificates, and forget them',
					{ endpoints: rows.map((e) => e.id) },
					200
				),
				stepOf(
					'endpoint.cut-off',
					'Tell the gateways, and set aside what is open from them',
					{ endpoints: rows.map((e) => e.id) },
					SECOND
				)
			],
			undo: { kind: 'endpoint.know-again', input: { endpoints: rows.map((e) => e.id), then: now - 1 } },
			undoWords: 'Yes: they are known again as they were, and are given new certificates when they are awake.'
		};
	}
});

const knowAgain = planKind({
	kind: 'endpoint.know-again',
	words: 'Know endpoints again that were forgotten, as they were',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ endpoints: someEndpoints, then: v.pipe(v.number(), v.safeInteger(), v.minValue(0)) }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const rows = [...new Set(input.endpoints)].flatMap((id) => {
			const e = endpointById(db, id, now) ? null : endpointById(db, id, input.then);
			return e && rowAt(db, 'endpoint_spots', { endpoint_id: id }, input.then) ? [e] : [];
		});
		return {
			title: `Know ${called(rows)} again`,
			effects: {
				...noEffects(),
				endpoints: rows.map((e) => ({ kind: 'endpoint', id: String(e.id), name: e.name, how: 'known again' })),
				duration: { middle: SECOND, ninety: 2 * SECOND }
			},
			warnings: [],
			blocks: rows.length ? [] : [against('none of them was known then and is not now')],
			reasons: [{ words: 'they stand where they stood', source: 'endpoints' }],
			objects: rows.map((e) => `endpoint/${e.id}`),
			steps: [
				stepOf(
					'endpoint.know-again',
					'Write down what they were',
					{ endpoints: rows.map((e) => e.id), then: input.then },
					200
				)
			],
			undo: { kind: 'endpoint.forget', input: { endpoints: rows.map((e) => e.id) } },
			undoWords: 'Yes: they are forgotten again.'
		};
	}
});

/** What is done to devices that are awake, and to whatever is open from them. */
interface Does {
	kind: 'endpoint.restart' | 'endpoint.lock' | 'endpoint.show';
	/** Such as `Restart bgo-box-012`. */
	title: (what: string) => string;
	how: string;
	/** What somebody who has something open there meets; null: nothing. */
	meets: string | null;
	/** It harms nobody: one more that has woken up since makes the plan no worse. */
	harmless?: boolean;
	step: string;
	reasons: Fact[];
	takes: { middle: number; ninety: number };
	undoWords: string;
}

function awakeDraft(db: Db, now: number, ids: readonly number[], does: Does, text?: string): Draft {
	const named = namedEndpoints(db, ids, now);
	// What is not let in is nobody's to command.
	const rows = named.filter((e) => e.state === 'awake' && e.branch !== null);
	const asleep = named.filter((e) => e.state === 'asleep').length;
	const out = named.length - rows.length - asleep;
	const open =
		does.meets === null
			? []
			: openFrom(
					db,
					rows.map((e) => e.id)
				);
	const people = [...new Map(open.map((s) => [s.login, s])).values()];
	const endpoints = rows.map((e) => e.id);
	const helped = does.harmless ? { helped: true } : {};
	return {
		title: does.title(called(rows.length ? rows : named)),
		effects: {
			...noEffects(),
			people: [
				...people.map((s) => ({ kind: 'person' as const, id: s.login, name: s.person, how: does.meets!, ...helped })),
				...rows.flatMap((e) =>
					e.on === null || people.some((s) => s.login === e.on)
						? []
						: [
								{
									kind: 'person' as const,
									id: e.on,
									name: e.personName ?? e.on,
									how: `${e.name}: ${does.how}`,
									...helped
								}
							]
				)
			],
			endpoints: rows.map((e) => ({ kind: 'endpoint', id: String(e.id), name: e.name, how: does.how, ...helped })),
			duration: does.takes
		},
		warnings: [
			...(asleep && rows.length
				? [against(`${countWords(asleep, 'of them sleeps', 'of them sleep')}, and would not be asked`)]
				: []),
			...(out && rows.length
				? [against(`${countWords(out, 'of them is', 'of them are')} not let in, and would not be asked`)]
				: []),
			...people
				.slice(0, SAID)
				.map((s) =>
					against(`${s.person} is on ${s.machine} from there: it is set aside, and nothing of theirs is lost`)
				)
		],
		blocks: rows.length
			? []
			: [against(out ? 'none of them is awake and let in' : named.length === 1 ? 'it sleeps' : 'all of them sleep')],
		reasons: does.reasons,
		objects: rows.map((e) => `endpoint/${e.id}`),
		steps: [
			does.kind === 'endpoint.show'
				? stepOf('endpoint.show', does.step, { endpoints, text: text! }, does.takes.middle)
				: stepOf(does.kind, does.step, { endpoints }, does.takes.middle)
		],
		undo: null,
		undoWords: does.undoWords
	};
}

const restart = planKind({
	kind: 'endpoint.restart',
	words: 'Restart endpoints that are awake',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({ endpoints: someEndpoints }),
	draft: async ({ db, clock }, input) =>
		awakeDraft(db, clock.now(), input.endpoints, {
			kind: 'endpoint.restart',
			title: (what) => `Restart ${what}`,
			how: 'restarted',
			meets: 'waits for their endpoint to start',
			step: 'Restart them, and wait until they call in',
			reasons: [{ words: 'what they hold for their next start takes hold then', source: 'settings' }],
			takes: { middle: 90 * SECOND, ninety: 3 * MINUTE },
			undoWords: 'There is nothing to take back: they start again by themselves.'
		})
});

const lock = planKind({
	kind: 'endpoint.lock',
	words: 'Lock the screens of endpoints: whoever is on them signs in again',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({ endpoints: someEndpoints }),
	draft: async ({ db, clock }, input) =>
		awakeDraft(db, clock.now(), input.endpoints, {
			kind: 'endpoint.lock',
			title: (what) => `Lock ${what}`,
			how: 'locked',
			meets: 'signs in again',
			step: 'Lock them',
			reasons: [{ words: 'whoever knows how to sign in goes on where they were', source: 'endpoints' }],
			takes: { middle: 2 * SECOND, ninety: 5 * SECOND },
			undoWords: 'Whoever was on them signs in again.'
		})
});

const show = planKind({
	kind: 'endpoint.show',
	words: 'Show a text on the screens of endpoints that are awake',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({
		endpoints: someEndpoints,
		text: v.pipe(
			v.string('Write what they should read.'),
			v.trim(),
			v.nonEmpty('Write what they should read.'),
			v.maxLength(300, 'At most 300 characters.')
		)
	}),
	draft: async ({ db, clock }, input) =>
		awakeDraft(
			db,
			clock.now(),
			input.endpoints,
			{
				kind: 'endpoint.show',
				title: (what) => `Show a text on ${what}`,
				how: 'shows a text',
				meets: null,
				harmless: true,
				step: 'Show it',
				reasons: [{ words: input.text, source: 'what they read' }],
				takes: { middle: 2 * SECOND, ninety: 5 * SECOND },
				undoWords: 'What has been read has been read.'
			},
			input.text
		)
});

const look = planKind({
	kind: 'endpoint.look',
	words: 'Look at the screen of an endpoint, if whoever is on it says yes',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({
		endpoint: v.pipe(v.number(NUMBER), v.safeInteger(NUMBER), v.minValue(1, NUMBER)),
		why: v.pipe(
			v.string('Write why: they read it.'),
			v.trim(),
			v.nonEmpty('Write why: they read it.'),
			v.maxLength(300, 'At most 300 characters.')
		)
	}),
	async draft({ db, clock }, { endpoint, why }): Promise<Draft> {
		const e = endpointById(db, endpoint, clock.now());
		if (!e) throw new InputProblem([{ field: 'endpoint', words: `There is no endpoint ${endpoint}.` }]);
		const who = e.on === null ? null : (e.personName ?? e.on);
		return {
			title: `Ask to look at the screen of ${e.name}`,
			effects: {
				...noEffects(),
				people: e.on === null ? [] : [{ kind: 'person', id: e.on, name: who!, how: 'is asked whether you may look' }],
				duration: { middle: 20 * SECOND, ninety: MINUTE }
			},
			warnings: [],
			blocks:
				e.state !== 'awake'
					? [against('it sleeps')]
					: e.branch === null
						? [against('it is not let in')]
						: who === null
							? [against('nobody is on it: there is nobody to ask')]
							: [],
			reasons: [
				{ words: why, source: 'what they read' },
				{
					words: `a yes lets you alone look for ${durationWords(LOOK_LASTS)}, or until they get up; what they say is on record either way, and no picture is kept`,
					source: 'endpoints'
				}
			],
			objects: [`endpoint/${e.id}`],
			steps: [
				stepOf('endpoint.ask-to-look', `Ask ${who ?? 'whoever is on it'}`, { endpoint, why }, 20 * SECOND),
				stepOf('endpoint.was-let-look', 'Look at what they say', { endpoint }, 100)
			],
			undo: null,
			undoWords: 'It ends by itself.'
		};
	}
});

export const endpointWork = [wake, restart, lock, show, look, forget, knowAgain];
