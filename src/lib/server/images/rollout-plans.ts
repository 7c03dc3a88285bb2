import * as v from 'valibot';
import { blocksAt } from '../network';
import { ruleWords, wanted, type FollowRule } from '$lib/core/images/follow';
import { readWindow } from '$lib/core/images/shipping';
import { dealWaves, waveProblems, waveWords, type WaveSpec } from '$lib/core/images/waves';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, durationWords, FOREVER, HOUR } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { poolsAt } from '../pools';
import type { Context } from '../context';
import { all } from '../db';
import { lasting, percent } from '../plans/fields';
import { InputProblem, planKind, type Draft, type StepSpec } from '../plans/kind';
import { sessionsOn } from '../watch';
import { lineId } from './build-plans';
import { moveTime, signOutTime } from './expected';
import { followingAt, rulesAt } from './following';
import { sitesWith } from './queries';
import { machinesOfRollout, openRollouts, rolloutById, teamsOfMachines, type RolloutSettings } from './rollouts';
import { versionOrThrow } from './version-plans';

const names = v.pipe(v.array(v.string()), v.minLength(1, 'Name at least one.'));
const wave = v.variant(
	'by',
	[
		v.strictObject({ by: v.literal('machines'), machines: names }),
		v.strictObject({ by: v.literal('pools'), pools: names }),
		v.strictObject({ by: v.literal('teams'), teams: names }),
		v.strictObject({ by: v.literal('share'), percent: v.number('Write a share in percent.') })
	],
	'A wave goes by machines, pools, teams or share.'
);
const beginPlan = planKind({
	kind: 'image.rollout',
	words: 'Bring a version to machines in waves, with a gate after each that stops or returns it',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({
		line: lineId,
		number: v.pipe(v.string(), v.nonEmpty('Choose a version.')),
		/** All pools of the line that would take it if it were released, where nothing is said. */
		pools: v.optional(v.array(v.string())),
		waves: v.optional(v.array(wave), [
			{ by: 'share', percent: 10 },
			{ by: 'share', percent: 40 },
			{ by: 'share', percent: 100 }
		]),
		people: v.optional(v.picklist(['wait', 'ask', 'grace', 'idle'], 'Choose wait, ask, grace or idle.'), 'wait'),
		deadline: v.optional(lasting(72 * HOUR), 4 * HOUR),
		from: v.optional(v.string(), '00:00'),
		until: v.optional(v.string(), '00:00'),
		pause: v.optional(lasting(14 * 24 * HOUR), 4 * HOUR),
		longest: v.optional(lasting(30 * 24 * HOUR), 48 * HOUR),
		failedStarts: v.optional(percent(0), 5),
		apdex: v.optional(
			v.pipe(v.number('Write an Apdex.'), v.minValue(0, 'From 0 to 1.'), v.maxValue(1, 'From 0 to 1.')),
			0.85
		),
		failing: v.optional(percent(0), 10),
		least: v.optional(
			v.pipe(v.number('Write a number.'), v.integer('A whole number.'), v.minValue(1, 'At least 1.')),
			10
		),
		onFail: v.optional(v.picklist(['pause', 'return'], 'Choose pause or return.'), 'return')
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const version = versionOrThrow(ctx, input.line, input.number);
		const pools = poolsAt(db, now).filter((p) => p.line === input.line);
		const rules = rulesAt(db, now);
		const unknown = input.pools?.find((id) => !pools.some((p) => p.id === id));
		if (unknown !== undefined)
			throw new InputProblem([{ field: 'pools', words: `${input.line} has no pool called ${unknown}.` }]);
		const badWaves = waveProblems(input.waves);
		if (badWaves.length) throw new InputProblem(badWaves.map((p) => ({ field: `waves.${p.wave}`, words: p.words })));
		const window = readWindow(input.from, input.until, 'Etc/UTC');
		if ('field' in window) throw new InputProblem([window]);

		const ruleOf = (pool: string): FollowRule => rules.get(`pool/${pool}`)?.rule ?? { takes: 'nothing' };
		const free = (rule: FollowRule) => rule.takes === 'newest' || rule.takes === 'range';
		const f = followingAt(db, now);
		// Released, every pool would take it whose rule lets it: only where those are all in the rollout is it released at the end.
		const versions = (f.lines.get(input.line)?.versions ?? []).map((x) =>
			x.number === input.number ? { ...x, held: false } : x
		);
		const would = pools.filter((p) => free(ruleOf(p.id)) && wanted(ruleOf(p.id), versions) === input.number);
		const chosen = input.pools ? pools.filter((p) => input.pools!.includes(p.id)) : would;
		const inPools = f.machines.filter((m) => chosen.some((p) => p.id === m.pool));
		const whole = new Set(sitesWith(db, input.line, input.number, now));
		const own = inPools.filter((m) => m.ruleOf === 'machine');
		const lacking = inPools.filter((m) => !whole.has(m.site));
		const done = inPools.filter((m) => m.version === input.number);
		const takers = inPools.filter((m) => m.ruleOf !== 'machine' && whole.has(m.site) && m.version !== input.number);
		const teams = input.waves.some((w) => w.by === 'teams')
			? teamsOfMachines(db, input.line, now)
			: new Map<string, string[]>();
		const { waves, left } = dealWaves(
			takers.map((m) => ({ name: m.name, pool: m.pool, teams: teams.get(m.name) ?? [] })),
			input.waves as WaveSpec[]
		);
		const dealt = waves
			.map((machines, asked) => ({ machines, asked, spec: input.waves[asked]! as WaveSpec }))
			.filter((w) => w.machines.length > 0);
		const poolNames = new Map(pools.map((p) => [p.id, p.name]));
		const teamNames = new Map(
			all<{ id: string; name: string }>(db, 'SELECT id, name FROM teams').map((t) => [t.id, t.name])
		);
		const words = (w: WaveSpec) =>
			waveWords(w, (kind, id) => (kind === 'pool' ? poolNames.get(id) : teamNames.get(id)) ?? id);

		const release =
			would.length > 0 &&
			chosen.every((p) => would.includes(p)) &&
			would.every((p) => chosen.includes(p)) &&
			left.length === 0;
		const settings: RolloutSettings = {
			waves: dealt.map((w) => w.spec),
			people: input.people,
			deadline: input.deadline,
			hours: { from: window.from, until: window.until },
			pause: input.pause,
			longest: input.longest,
			limits: {
				failedStarts: input.failedStarts / 100,
				apdex: input.apdex,
				failing: input.failing / 100,
				least: input.least
			},
			onFail: input.onFail,
			then: release ? 'release' : 'pin'
		};
		const inWaves = new Set(waves.flat());
		const sessions = sessionsOn(
			db,
			takers.filter((m) => inWaves.has(m.name)).map((m) => m.id)
		);
		const signedOut = input.people === 'ask' || input.people === 'grace';
		const open = openRollouts(db, input.line);
		const ids = new Map(takers.map((m) => [m.name, m.id]));
		const waveOf = new Map(dealt.flatMap((w, i) => w.machines.map((m) => [m, i] as const)));
		const peopleOn = dealt.map(() => new Set<string>());
		for (const s of sessions) peopleOn[waveOf.get(s.machine) ?? -1]?.add(s.login);
		/** What each wave is expected to take until its machines have changed: their people leave, then they change. */
		const changing = dealt.map((w) => {
			const time = moveTime(db, w.machines.length);
			const leave = signOutTime(
				db,
				w.machines.map((m) => ids.get(m)!),
				now
			);
			const most = input.people === 'ask' || input.people === 'grace' ? input.deadline : Infinity;
			return { middle: time.middle + Math.min(most, leave.middle), ninety: time.ninety + Math.min(most, leave.ninety) };
		});
		return {
			title: `Roll ${input.line} ${input.number} out to ${countWords(waves.flat().length, 'machine')} in ${countWords(dealt.length, 'wave')}`,
			effects: {
				...noEffects(),
				machines: dealt.flatMap((w, i) =>
					w.machines.map((m) => ({ kind: 'machine', id: m, name: m, how: `wave ${i + 1}` }))
				),
				people: signedOut
					? sessions.map((s) => ({ kind: 'person', id: s.login, name: s.person, how: 'asked to sign out' }))
					: [],
				duration: {
					middle: changing.reduce((n, c) => n + c.middle + input.pause, 0),
					// At the longest a gate waits for numbers until it asks somebody.
					ninety: changing.reduce((n, c) => n + c.ninety + Math.max(input.pause, input.longest), 0)
				}
			},
			warnings: [
				...(left.length
					? [
							{
								words: `${countWords(left.length, 'machine')} in no wave: they stay as they are`,
								side: 'against' as const
							}
						]
					: []),
				...(lacking.length
					? [
							{
								words: `${countWords(lacking.length, 'machine')} at ${[...new Set(lacking.map((m) => m.site))].join(', ')} do not have the version at their site: ship it there first`,
								side: 'against' as const
							}
						]
					: []),
				...(signedOut
					? [
							{
								words: `whoever is still signed in ${durationWords(input.deadline)} after a wave has begun is signed out`,
								side: 'against' as const
							}
						]
					: [])
			],
			blocks: [
				...(waves.flat().length === 0
					? [{ words: 'no machine would take it in any wave', side: 'against' as const }]
					: []),
				...blocksAt(
					db,
					inPools.filter((m) => inWaves.has(m.name)).map((m) => m.site),
					'machines',
					ctx.clock.now()
				),
				...(version.retired ? [{ words: 'it is retired', side: 'against' as const }] : []),
				...(version.open ? [{ words: 'it is open for work by hand', side: 'against' as const }] : []),
				...open.map((r): Fact => ({
					words: `${r.number} of this line is being rolled out by job ${r.jobId}: a line has one rollout at a time`,
					side: 'against',
					about: { kind: 'job', id: String(r.jobId) }
				}))
			],
			reasons: [
				...waves.map((machines, asked): Fact => {
					const spec = input.waves[asked]! as WaveSpec;
					const i = dealt.findIndex((w) => w.asked === asked);
					return {
						words:
							i < 0
								? `${words(spec)}: no machine is left for it, so there is no such wave`
								: `wave ${i + 1}, ${words(spec)}: ${countWords(machines.length, 'machine')}, ${countWords(peopleOn[i]!.size, 'person on them', 'people on them')} now; about ${durationWords(changing[i]!.middle + input.pause)} with its watch`,
						source: 'waves'
					};
				}),
				{ words: peopleWords(settings), source: 'plan' },
				{
					words: `each wave is watched for ${durationWords(input.pause)}; its gate ${input.onFail === 'return' ? 'returns it to the version before' : 'pauses'} when more than ${input.failedStarts} % of starts fail, sign-in Apdex falls under ${input.apdex}, or more than ${input.failing} % of machines have a failing check, and that is clearly worse than before and elsewhere`,
					source: 'gate'
				},
				{
					words: release
						? 'after the last wave it is released: the pools follow it by their own rules'
						: `after the last wave its pools follow exactly ${input.number}`,
					source: 'follow rules'
				},
				...(done.length
					? [{ words: `${countWords(done.length, 'machine')} have it already`, source: 'measured' }]
					: []),
				...own.map((m): Fact => ({
					words: `${m.name} has a rule of its own, ${ruleWords(m.rule)}: it is left out`,
					side: 'against',
					source: 'follow rules'
				}))
			],
			objects: [`rollout/${input.line}`],
			steps: [
				{
					kind: 'rollout.begin',
					words: 'Write the waves',
					input: {
						line: input.line,
						number: input.number,
						settings,
						waves: dealt.map((w) => w.machines),
						pools: chosen.map((p) => p.id)
					},
					expected: 300
				},
				...dealt.flatMap((w, i): StepSpec[] => [
					{
						kind: 'rollout.wave',
						words: `Wave ${i + 1}: ${words(w.spec)}`,
						input: { wave: i },
						expected: changing[i]!.middle
					},
					{ kind: 'rollout.gate', words: `Gate after wave ${i + 1}`, input: { wave: i }, expected: input.pause }
				]),
				{
					kind: 'rollout.end',
					words: release ? 'Release the version' : 'Let the pools follow it',
					input: { pools: chosen.map((p) => p.id) },
					expected: 300
				}
			],
			undo: null,
			undoWords:
				'Yes, at any time: “Everything back” on the rollout returns every machine to the version that it was on.'
		};
	}
});

function peopleWords(s: RolloutSettings): string {
	switch (s.people) {
		case 'wait':
			return 'a machine changes after its last sign-out: nobody is asked to leave';
		case 'ask':
			return `people are asked to sign out, and signed out ${durationWords(s.deadline)} later`;
		case 'grace':
			return `people are told, and signed out after ${durationWords(s.deadline)}`;
		case 'idle':
			return 'only sessions that nobody is at are signed out; the others are waited for';
	}
}

const decidePlan = planKind({
	kind: 'rollout.decide',
	words: 'Let a paused rollout go on, return its last wave, or stop it where it is',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({
		rollout: v.pipe(v.number(), v.integer()),
		decision: v.picklist(['go on', 'return', 'stop'], 'Choose go on, return or stop.')
	}),
	async draft(ctx, input): Promise<Draft> {
		const r = rolloutOrThrow(ctx, input.rollout);
		const last = machinesOfRollout(ctx.db, r.id, r.wave).filter((m) => m.state === 'moved');
		const verbs = { 'go on': 'Go on with', return: 'Return the last wave of', stop: 'Stop' } as const;
		return {
			title: `${verbs[input.decision]} the rollout of ${r.line} ${r.number}`,
			effects: {
				...noEffects(),
				machines:
					input.decision === 'return'
						? last.map((m) => ({ kind: 'machine', id: m.machine, name: m.machine, how: `back to ${m.from}` }))
						: []
			},
			warnings:
				input.decision === 'go on' && r.gates.at(-1)?.verdict === 'fails'
					? [{ words: 'its last gate has failed', side: 'against' }]
					: [],
			blocks: r.state === 'paused' ? [] : [{ words: `it is ${r.state}, not paused`, side: 'against' }],
			reasons: [
				...(r.gates.at(-1)?.facts ?? []),
				...(input.decision === 'stop'
					? [
							{
								words: 'machines stay on the version that they are on; their pools follow what they did before',
								source: 'follow rules'
							}
						]
					: [])
			],
			objects: [`decision/${r.id}`],
			steps: [{ kind: 'rollout.decide', words: 'Tell the rollout', input, expected: 500 }],
			undo: null,
			undoWords: 'No: what it does next is shown on its page, and can be returned there.'
		};
	}
});

const returnPlan = planKind({
	kind: 'rollout.return',
	words: 'Bring every machine of a rollout back to the version before, now',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({
		rollout: v.pipe(v.number(), v.integer()),
		people: v.optional(v.picklist(['wait', 'now'], 'Choose wait or now.'), 'now')
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const r = rolloutOrThrow(ctx, input.rollout);
		const moved = machinesOfRollout(db, r.id).filter((m) => m.state === 'moved' || m.state === 'moving');
		const ids = all<{ id: number }>(
			db,
			`SELECT id FROM machines WHERE until = ${FOREVER} AND name IN (SELECT value FROM json_each(?))`,
			[JSON.stringify(moved.map((m) => m.machine))]
		);
		const sessions =
			input.people === 'now'
				? sessionsOn(
						db,
						ids.map((i) => i.id)
					)
				: [];
		const leave =
			input.people === 'wait'
				? signOutTime(
						db,
						ids.map((i) => i.id),
						ctx.clock.now()
					)
				: { middle: 0, ninety: 0 };
		const change = moveTime(db, moved.length);
		const time = { middle: change.middle + leave.middle, ninety: change.ninety + leave.ninety };
		return {
			title: `Bring everything of ${r.line} ${r.number} back: ${countWords(moved.length, 'machine')}`,
			effects: {
				...noEffects(),
				people: sessions.map((s) => ({ kind: 'person', id: s.login, name: s.person, how: 'signed out' })),
				sessionsEnded: sessions.map((s) => ({ kind: 'session', id: String(s.id), name: s.person })),
				machines: moved.map((m) => ({ kind: 'machine', id: m.machine, name: m.machine, how: `back to ${m.from}` })),
				duration: time
			},
			warnings: sessions.length
				? [
						{
							words: `${countWords(sessions.length, 'session')} end, and what is not saved in them is lost`,
							side: 'against'
						}
					]
				: [],
			blocks: moved.length === 0 ? [{ words: 'no machine of it is on the new version', side: 'against' }] : [],
			reasons: [
				{
					words: `the rollout ${r.ended === null ? 'is stopped' : `has ended (${r.state})`}; the version is held, so that nothing takes it again`,
					source: 'follow rules'
				},
				...r.gates.slice(-1).flatMap((g) => g.facts)
			],
			objects: [`decision/${r.id}`, ...moved.map((m) => `fresh/${m.machine}`)],
			steps: [
				{ kind: 'rollout.halt', words: 'Stop the rollout', input: { rollout: r.id }, expected: 5000 },
				{
					kind: 'rollout.back',
					words: `Bring ${countWords(moved.length, 'machine')} back`,
					input: { rollout: r.id, people: input.people },
					expected: time.middle
				}
			],
			undo: null,
			undoWords: 'Plan the rollout again.'
		};
	}
});

function rolloutOrThrow(ctx: Context, id: number) {
	const r = rolloutById(ctx.db, id);
	if (!r) throw new InputProblem([{ field: 'rollout', words: `There is no rollout ${id}.` }]);
	return r;
}

export const rolloutPlans = [beginPlan, decidePlan, returnPlan];
