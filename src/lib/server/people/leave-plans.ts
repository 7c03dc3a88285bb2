import * as v from 'valibot';
import { readWhen } from '$lib/core/people/given';
import {
	AFTERWARDS,
	leavingFacts,
	ownerless,
	SESSION_ENDS,
	type Belongings,
	type Heir
} from '$lib/core/people/handover';
import { isHere } from '$lib/core/people/record';
import { noEffects, type Effects } from '$lib/core/plans/effects';
import { FOREVER, MINUTE, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Db } from '../db';
import { recordOf, saidBy, SOURCE_WORDS, type KnownPerson } from '../directory';
import { InputProblem, planKind, stepOf, type Draft, type StepSpec } from '../plans/kind';
import { belongingsOf, handoverOf, heirOf, keptUntil, zoneOf, type Handover } from './handovers';

/** So long what somebody leaves is kept where nothing is said, days. */
const USUAL_DAYS = 30;
/** So long people who are asked to finish have, ms. */
export const ASKED = 15 * MINUTE;

const login = (words: string) =>
	v.pipe(v.string(words), v.trim(), v.nonEmpty(words), v.maxLength(200, 'At most 200 characters.'));
const problem = (field: string, words: string) => new InputProblem([{ field, words }]);
const against = (words: string, source = 'people'): Fact => ({ words, side: 'against', source });

const leaveSchema = v.strictObject({
	person: login('Say who leaves.'),
	/** The last day, a moment, or now; the last day that is known where nothing is said, else now. Of whom others tell, they say when. */
	at: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(40, 'Write a day such as 2026-11-30.'))),
	sessions: v.optional(v.picklist(SESSION_ENDS, 'Choose finish, ask or end.'), 'ask'),
	/** What they read who are asked to finish. */
	words: v.optional(
		v.pipe(v.string(), v.trim(), v.maxLength(300, 'At most 300 characters.')),
		'Your time here ends now. Please save and sign out; in a quarter of an hour you are signed out.'
	),
	/** Who takes over: a login. */
	to: v.optional(v.nullable(v.pipe(v.string(), v.trim(), v.maxLength(200, 'At most 200 characters.'))), null),
	after: v.optional(v.picklist(AFTERWARDS, 'Choose remove or hand.'), 'remove'),
	keepDays: v.optional(
		v.pipe(
			v.number('Write the days.'),
			v.integer('Write whole days.'),
			v.minValue(0, 'Not less than none.'),
			v.maxValue(730, 'At most two years.')
		),
		USUAL_DAYS
	)
});

function personOr(db: Db, called: string, at: number, field = 'person'): KnownPerson {
	const p = recordOf(db, called, at);
	if (!p) throw problem(field, `Nobody has the login ${called.slice(0, 60)}.`);
	return p;
}

/** Everybody and everything that a person's leave touches. */
function leavingEffects(
	p: KnownPerson,
	b: Belongings,
	heir: Heir | null,
	how: string,
	ends: boolean
): Pick<Draft, 'effects' | 'objects'> {
	const effects: Effects = {
		...noEffects(),
		people: [
			{ kind: 'person', id: p.now, name: p.name, how },
			...(heir && (b.answersFor.length || b.reports.length || b.schedules.length)
				? [{ kind: 'person' as const, id: heir.login, name: heir.name, how: 'takes over' }]
				: [])
		],
		sessionsEnded: ends ? b.sessions.map((s) => ({ kind: 'session', id: String(s.id), name: p.name })) : [],
		machines: b.machines.map((m) => ({ kind: 'machine', id: m.name, name: m.name, how: 'kept for now' })),
		endpoints: b.devices.map((d) => ({ kind: 'endpoint', id: String(d.id), name: d.name, how: 'to be collected' }))
	};
	return {
		effects,
		objects: [
			`person/${p.now}`,
			...b.answersFor.map((x) => `publication/${x.id}`),
			...b.schedules.map((s) => `schedule/${s.id}`),
			...b.devices.map((d) => `endpoint/${d.id}`)
		]
	};
}

/** The steps of somebody's last moment. */
function lastSteps(p: KnownPerson, b: Belongings, h: Pick<Handover, 'sessions' | 'words'>): StepSpec[] {
	return [
		stepOf('people.shut', 'End their sign-ins, and forget their second factor', { person: p.id }, 200),
		...(h.sessions === 'finish' || b.sessions.length === 0
			? []
			: [
					stepOf(
						'people.end-sessions',
						h.sessions === 'ask' ? 'Ask them to finish, then sign them out' : 'Sign them out',
						{ person: p.id, wait: h.sessions === 'ask' ? ASKED : 0, words: h.words },
						h.sessions === 'ask' ? ASKED : 20 * SECOND
					)
				]),
		stepOf('people.hand-over', 'Hand over what hangs on them', { person: p.id }, 200),
		stepOf('broker.tell', 'Tell the gateways', {}, 500)
	];
}

const durationOf = (steps: readonly StepSpec[]): Effects['duration'] => {
	const middle = steps.reduce((n, s) => n + s.expected, 0);
	return { middle, ninety: Math.round(middle * 1.3) };
};

const leave = planKind({
	kind: 'people.leave',
	words:
		'Let somebody leave at a moment: sessions, what hangs on them, and what becomes of their machines and files once they are kept no longer',
	area: 'access',
	undo: 'back',
	schema: leaveSchema,
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const say = saidBy(db);
		const p = personOr(db, input.person, now);
		const given = input.at === 'now' ? now : input.at ? readWhen(input.at, zoneOf(db, p.site), true) : null;
		if (input.at && given === null) throw problem('at', 'Write a day such as 2026-11-30, or now.');
		const told = p.source !== 'here';
		// Of whom others tell, they say when: what is agreed here is what follows from it.
		const ends = told ? p.ends : (given ?? (p.ends < FOREVER ? p.ends : now));
		if (!told && p.begins >= ends) throw problem('at', 'They have not begun by then.');
		const heir = input.to === null || input.to === '' ? null : heirOf(db, input.to, now);
		if (input.to && heir === null) throw problem('to', `Nobody who is here has the login ${input.to.slice(0, 60)}.`);
		if (heir?.login === p.now) throw problem('to', 'They cannot take over from themselves.');
		const b = belongingsOf(db, p.now, now);
		const before = handoverOf(db, p.id, now);
		const goes = ends <= now;
		const agreed = {
			person: p.id,
			sessions: input.sessions,
			words: input.words,
			to: heir?.login ?? null,
			after: input.after,
			keepDays: input.keepDays,
			ends: told ? null : ends
		};
		const steps = [
			stepOf('people.agree', goes ? 'Write down that they leave' : 'Write down what is agreed', agreed, 200),
			...(goes ? lastSteps(p, b, input) : [])
		];
		const day = goes ? 'now' : say.day(ends - 1, p.site);
		const { effects, objects } = leavingEffects(
			p,
			b,
			heir,
			goes ? 'leaves' : `leaves ${day}`,
			goes && input.sessions !== 'finish'
		);
		return {
			title: goes ? `Let ${p.name} leave now` : `Let ${p.name} leave on ${day}`,
			effects: { ...effects, duration: durationOf(steps) },
			warnings: b.reports
				.filter((r) => r.told)
				.slice(0, 6)
				.map((r) => against(`${r.name} reports to them as it is told elsewhere: it is changed there`, 'directory')),
			blocks: [
				...(told && given !== null && given !== p.ends
					? [against(`${p.name} is kept by ${SOURCE_WORDS[p.source]}: their last day is set there`, 'directory')]
					: []),
				...(told && p.ends === FOREVER
					? [
							against(
								`${SOURCE_WORDS[p.source]} says no last day of ${p.name}: set it there, and what they leave can be arranged`,
								'directory'
							)
						]
					: []),
				...(before && before.stage !== 'agreed' ? [against(`${p.name} has left, and it is handed over`)] : []),
				...ownerless(b, heir, input.after)
			],
			reasons: leavingFacts(b, heir, {
				sessions: input.sessions,
				after: input.after,
				kept:
					ends === FOREVER
						? `${input.keepDays} days later`
						: say.day(keptUntil(db, { ends, site: p.site }, input.keepDays), p.site)
			}),
			objects,
			steps,
			undo: { kind: 'people.return', input: { person: p.now } },
			undoWords:
				'Yes, until what is kept is removed: they are here again, with all that was handed over. A second factor is given anew.'
		};
	}
});

const who = v.strictObject({ person: login('Say who.') });

/** Somebody for whom something is agreed, with what hangs on them and who takes over; throws, beside the field, where nothing is. */
function agreedFor(db: Db, person: string, now: number) {
	const p = personOr(db, person, now);
	const h = handoverOf(db, p.id, now);
	if (!h) throw problem('person', `Nothing is agreed for ${p.name}.`);
	return { p, h, b: belongingsOf(db, p.now, now), heir: h.to === null ? null : heirOf(db, h.to, now) };
}

const handOver = planKind({
	kind: 'people.hand-over',
	words: 'Carry out what was agreed for somebody whose last moment has come',
	area: 'access',
	undo: 'back',
	schema: who,
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const { p, h, b, heir } = agreedFor(db, input.person, now);
		const steps = lastSteps(p, b, h);
		const { effects, objects } = leavingEffects(p, b, heir, 'leaves', h.sessions !== 'finish');
		return {
			title: `Hand over what ${p.name} leaves`,
			effects: { ...effects, duration: durationOf(steps) },
			warnings: [],
			blocks: [
				...(h.stage === 'agreed' ? [] : [against('it is handed over already')]),
				...(p.ends <= now ? [] : [against('their last moment has not come')]),
				...(h.to !== null && heir === null
					? [against(`${saidBy(db).person(h.to)}, who was to take over, is not here`)]
					: []),
				...ownerless(b, heir, h.after)
			],
			reasons: leavingFacts(b, heir, {
				sessions: h.sessions,
				after: h.after,
				kept: saidBy(db).day(keptUntil(db, p, h.keepDays), p.site)
			}),
			objects,
			steps,
			undo: { kind: 'people.return', input: { person: p.now } },
			undoWords: 'Yes, until what is kept is removed.'
		};
	}
});

const clear = planKind({
	kind: 'people.clear',
	words: 'Remove what somebody has left, or hand it to whoever takes over: it is kept no longer',
	area: 'access',
	undo: 'never',
	schema: who,
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const { p, h, b, heir } = agreedFor(db, input.person, now);
		const hands = h.after === 'hand';
		const machines = b.machines.map((m) => m.name);
		const steps: StepSpec[] = [
			...(machines.length === 0
				? []
				: hands
					? [
							stepOf(
								'machines.give',
								`Give the machine to ${heir?.name ?? 'nobody'}`,
								{ give: machines.map((machine) => ({ machine, person: heir?.login ?? null })) },
								200
							)
						]
					: [stepOf('machines.unmake', 'Remove the machine with its account', { machines }, 30 * SECOND)]),
			stepOf(
				'people.clear',
				hands ? 'Hand their files over' : 'Remove their files, and what was granted to them alone',
				{ person: p.id, to: hands ? (heir?.login ?? null) : null },
				10 * SECOND
			),
			stepOf('broker.tell', 'Tell the gateways', {}, 500)
		];
		const sessions = b.sessions.length;
		return {
			title: hands ? `Hand what ${p.name} left to ${heir?.name ?? h.to}` : `Remove what ${p.name} left`,
			effects: {
				...noEffects(),
				people: [
					{
						kind: 'person',
						id: p.now,
						name: p.name,
						how: hands ? 'their machine and files are another’s' : 'their machine and files go'
					}
				],
				machines: b.machines.map((m) => ({
					kind: 'machine',
					id: m.name,
					name: m.name,
					how: hands ? `kept by ${heir?.name ?? 'nobody'}` : 'removed'
				})),
				bytes: hands ? b.profile : 0,
				duration: durationOf(steps)
			},
			warnings: now < keptUntil(db, p, h.keepDays) ? [against('it was to be kept longer')] : [],
			blocks: [
				...(h.stage === 'handed'
					? []
					: [against(h.stage === 'agreed' ? 'they have not left yet' : 'nothing is kept any more')]),
				...(p.ends <= now ? [] : [against(`${p.name} is here again`)]),
				...(sessions ? [against('a session of theirs is still open', 'sessions')] : []),
				...(hands && heir === null
					? [
							against(
								`${h.to === null ? 'nobody' : saidBy(db).person(h.to)} is here to take it: agree on somebody else, or let it be removed`
							)
						]
					: []),
				...(hands ? ownerless({ ...b, answersFor: [], reports: [], schedules: [] }, heir, 'hand') : [])
			],
			reasons: [
				{ words: `it was to be kept until ${saidBy(db).day(keptUntil(db, p, h.keepDays), p.site)}`, source: 'people' },
				...b.grants.map((g): Fact => ({ words: `the grant of ${g.name} to them alone ends`, source: 'grants' }))
			],
			objects: [`person/${p.now}`, ...machines.map((m) => `machine/${m}`)],
			steps,
			undo: null,
			undoWords: hands ? 'Not at once: a machine is given back by hand, files are not.' : 'No: what is removed is gone.'
		};
	}
});

const comeBack = planKind({
	kind: 'people.return',
	words: 'Take back that somebody leaves: they are here again, with all that was handed over',
	area: 'access',
	undo: 'sometimes',
	schema: who,
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const p = personOr(db, input.person, now);
		const h = handoverOf(db, p.id, now);
		const told = p.source !== 'here';
		const ended = p.ends <= now;
		const steps: StepSpec[] = [
			stepOf('people.return', 'Write down that they are here', { person: p.id }, 200),
			stepOf('broker.tell', 'Tell the gateways', {}, 500)
		];
		const back = h?.handed;
		const counts = back ? back.answersFor.length + back.reports.length + back.schedules.length : 0;
		return {
			title: ended ? `Take ${p.name} back` : `Take back that ${p.name} leaves`,
			effects: {
				...noEffects(),
				people: [{ kind: 'person', id: p.now, name: p.name, how: 'is here, with no last day' }],
				duration: durationOf(steps)
			},
			warnings:
				h?.stage === 'cleared' ? [against('what they left is kept no longer: machine and files begin anew')] : [],
			blocks: [
				...(h || (!told && p.ends < FOREVER) ? [] : [against(`${p.name} does not leave, as far as it is known here`)]),
				...(told && ended
					? [against(`${p.name} is kept by ${SOURCE_WORDS[p.source]}: they come back there first`, 'directory')]
					: [])
			],
			reasons: [
				...(counts
					? [
							{
								words: 'what was handed over is theirs again, as far as it is still with whoever took over',
								source: 'people'
							}
						]
					: []),
				...(h?.stage === 'handed'
					? [{ words: 'their machine and files have been kept for them', source: 'people' }]
					: []),
				...(told ? [{ words: `their last day is set by ${SOURCE_WORDS[p.source]}`, source: 'directory' }] : [])
			],
			objects: [`person/${p.now}`],
			steps,
			undo:
				h && h.stage !== 'cleared' && isHere({ begins: p.begins, ends: Infinity }, now)
					? {
							kind: 'people.leave',
							input: {
								person: p.now,
								...(told || ended ? {} : { at: new Date(p.ends).toISOString() }),
								sessions: h.sessions,
								words: h.words,
								to: h.to,
								after: h.after,
								keepDays: h.keepDays
							}
						}
					: null,
			undoWords: h && h.stage !== 'cleared' ? 'Yes: they leave again as it was agreed.' : 'They leave by another plan.'
		};
	}
});

export const leavePlans = [leave, handOver, clear, comeBack];
