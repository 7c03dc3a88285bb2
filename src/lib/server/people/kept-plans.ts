import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, DAY, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { one } from '../db';
import { recordsOf, saidBy, teamsByName } from '../directory';
import { InputProblem, planKind, stepOf, type Draft, type StepSpec } from '../plans/kind';
import { poolAt, type PoolRow } from '../pools';
import { publicationsAt } from '../publications';
import { deskOf, desksFor } from './desks';
import { desksOf, keptPools, type KeptPool } from './kept';

/** Machines that one plan makes or takes back for people of a kept pool: the rest follows at the next look. */
export const AT_ONCE = 50;

const text = v.pipe(v.string(), v.trim(), v.maxLength(200, 'At most 200 characters.'));
const against = (words: string, source = 'people'): Fact => ({ words, side: 'against', source });
const problem = (field: string, words: string) => new InputProblem([{ field, words }]);

function personalPool(ctx: Context, id: string): PoolRow {
	const pool = poolAt(ctx.db, id, ctx.clock.now());
	if (!pool) throw problem('pool', `There is no pool called ${id.slice(0, 60)}.`);
	if (pool.assignment === 'shared') throw problem('pool', `${pool.name} is shared: nobody keeps a machine of it.`);
	return pool;
}

/** The plan that keeps a pool as it is kept. */
const asItWas = (k: KeptPool) => ({
	kind: 'pool.keep-for' as const,
	input: {
		pool: k.pool,
		team: k.team,
		employment: k.asks.employment ?? null,
		publication: k.asks.publication ?? null,
		aheadDays: Math.round(k.ahead / DAY)
	}
});

const keepFor = planKind({
	kind: 'pool.keep-for',
	words:
		'Keep a personal pool for a team: a machine for each who is of it and holds what it asks for, made when they come and taken back when they go',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		pool: v.pipe(text, v.nonEmpty('Choose a pool.')),
		team: v.pipe(text, v.nonEmpty('Choose a team.')),
		/** A kind of employment that it asks for. */
		employment: v.optional(v.nullable(text), null),
		/** A publication that people have to hold. */
		publication: v.optional(v.nullable(text), null),
		/** So long before the first day machines are made. */
		aheadDays: v.optional(
			v.pipe(
				v.number('Write the days.'),
				v.integer('Write whole days.'),
				v.minValue(0, 'Not less than none.'),
				v.maxValue(60, 'At most 60.')
			),
			3
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const pool = personalPool(ctx, input.pool);
		const team = teamsByName(db).find((t) => t.id === input.team);
		const problems: { field: string; words: string }[] = [];
		if (!team) problems.push({ field: 'team', words: `There is no team called ${input.team.slice(0, 60)}.` });
		const publication = input.publication ? publicationsAt(db, now).find((p) => p.id === input.publication) : undefined;
		if (input.publication && !publication)
			problems.push({
				field: 'publication',
				words: `There is no publication called ${input.publication.slice(0, 60)}.`
			});
		if (input.employment && !one(db, 'SELECT 1 FROM person_facts WHERE employment = ? LIMIT 1', [input.employment]))
			problems.push({ field: 'employment', words: `Nobody is employed as ${input.employment.slice(0, 60)}.` });
		if (problems.length) throw new InputProblem(problems);
		const before = keptPools(db, now).find((k) => k.pool === pool.id);
		const asks = {
			...(input.employment ? { employment: input.employment } : {}),
			...(input.publication ? { publication: input.publication } : {})
		};
		const next: KeptPool = { pool: pool.id, team: input.team, asks, ahead: input.aheadDays * DAY, by: '', since: now };
		const stands = desksOf(db, next, now);
		const make = stands.filter((d) => d.machine === null && d.state !== 'not wanted');
		const back = stands.filter((d) => d.over);
		const desks = await desksFor(
			ctx,
			pool,
			make.map((d) => ({ login: d.login, name: d.name }))
		);
		const same =
			before &&
			JSON.stringify([before.team, before.asks, before.ahead]) === JSON.stringify([next.team, asks, next.ahead]);
		return {
			title: `Keep ${pool.name} for ${team!.name}`,
			effects: {
				...noEffects(),
				people: [
					...make.map((d) => ({ kind: 'person' as const, id: d.login, name: d.name, how: 'gets a machine' })),
					...back.map((d) => ({
						kind: 'person' as const,
						id: d.login,
						name: d.name,
						how: `${d.machine} is taken back`
					}))
				],
				machines: [
					...desks.machines,
					...back.map((d) => ({
						kind: 'machine' as const,
						id: d.machine!,
						name: d.machine!,
						how: `taken back from ${d.name}`
					}))
				],
				bytes: desks.bytes,
				...(desks.cost ? { cost: desks.cost } : {}),
				duration: desks.duration
			},
			warnings: [
				...back.slice(0, 6).map((d) => against(`${d.name} loses ${d.machine}: ${d.words}`)),
				...(make.length ? desks.blocks : [])
			],
			blocks: same ? [against('it is kept so already')] : [],
			reasons: [
				{
					words: `${countWords(stands.filter((d) => d.state !== 'not wanted' && !d.over).length, 'person holds', 'people hold')} what it asks for`,
					source: 'directory'
				},
				...(before ? [{ words: `until now it is kept for ${saidBy(db).team(before.team)}`, source: 'people' }] : []),
				{ words: 'machines are made and taken back by jobs of their own, within some minutes', source: 'people' },
				...(make.length ? desks.reasons : [])
			],
			objects: [`pool/${pool.id}`],
			steps: [
				stepOf('pool.keep-for', 'Write it down', { pool: pool.id, team: input.team, asks, ahead: next.ahead }, 100)
			],
			undo: before ? asItWas(before) : { kind: 'pool.keep-no-more', input: { pool: pool.id } },
			undoWords: 'Yes: no more are made. Machines that were stay with their people.'
		};
	}
});

const keepNoMore = planKind({
	kind: 'pool.keep-no-more',
	words: 'Keep a personal pool for its team no longer: who has a machine keeps it',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ pool: v.pipe(text, v.nonEmpty('Choose a pool.')) }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const pool = personalPool(ctx, input.pool);
		const k = keptPools(db, now).find((x) => x.pool === pool.id);
		if (!k) throw problem('pool', `${pool.name} is kept for no team.`);
		const wait = desksOf(db, k, now).filter((d) => d.state === 'wanted' || d.state === 'failed');
		return {
			title: `Keep ${pool.name} for ${saidBy(db).team(k.team)} no longer`,
			effects: {
				...noEffects(),
				people: wait.map((d) => ({
					kind: 'person',
					id: d.login,
					name: d.name,
					how: 'waits for no machine of it any more'
				})),
				duration: { middle: SECOND, ninety: SECOND }
			},
			warnings: [],
			blocks: [],
			reasons: [{ words: 'who has a machine of it keeps it', source: 'people' }],
			objects: [`pool/${pool.id}`],
			steps: [stepOf('pool.keep-for', 'Write it down', { pool: pool.id, team: null, asks: {}, ahead: 0 }, 100)],
			undo: asItWas(k),
			undoWords: 'Yes: it is kept for them again.'
		};
	}
});

const someOf = v.strictObject({
	pool: v.pipe(text, v.nonEmpty('Choose a pool.')),
	people: v.pipe(
		v.array(v.pipe(text, v.nonEmpty('Say who.'))),
		v.minLength(1, 'Say who.'),
		v.maxLength(AT_ONCE, `At most ${AT_ONCE} at once.`)
	)
});

const makeDesks = planKind({
	kind: 'desks.make',
	words: 'Give people a machine of a personal pool each: one that nobody keeps, or one that is made',
	area: 'publishing',
	undo: 'sometimes',
	schema: someOf,
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const pool = personalPool(ctx, input.pool);
		const known = recordsOf(db, input.people, now);
		const unknown = input.people.findIndex((p) => !known.has(p));
		if (unknown >= 0)
			throw problem(`people.${unknown}`, `Nobody has the login ${input.people[unknown]!.slice(0, 60)}.`);
		const desks = await desksFor(
			ctx,
			pool,
			[...known.values()].map((p) => ({ login: p.now, name: p.name }))
		);
		const { give } = desks;
		return {
			title:
				give.length === 1
					? `Give ${known.get(give[0]!.person)!.name} a machine of ${pool.name}`
					: `Give ${countWords(give.length, 'person', 'people')} a machine of ${pool.name}`,
			effects: {
				...noEffects(),
				people: give.map((g) => ({
					kind: 'person',
					id: g.person,
					name: known.get(g.person)!.name,
					how: `keeps ${g.machine}`
				})),
				machines: desks.machines,
				bytes: desks.bytes,
				...(desks.cost ? { cost: desks.cost } : {}),
				duration: desks.duration
			},
			warnings: [],
			blocks: [...desks.blocks, ...(give.length ? [] : [against('each of them has one already')])],
			reasons: desks.reasons,
			objects: [`pool/${pool.id}`, ...give.map((g) => `person/${g.person}`)],
			steps: desks.steps,
			undo: give.length
				? { kind: 'desks.take-back', input: { pool: pool.id, people: give.map((g) => g.person) } }
				: null,
			undoWords: 'Yes: the machines are taken back, and nobody keeps them.'
		};
	}
});

const takeBack = planKind({
	kind: 'desks.take-back',
	words: 'Take machines of a personal pool back from people: they are reset, for whoever comes next',
	area: 'publishing',
	undo: 'never',
	schema: someOf,
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const pool = personalPool(ctx, input.pool);
		const people = [...recordsOf(db, input.people, now).values()];
		const theirs = people.flatMap((p) => {
			const machine = deskOf(db, pool.id, p.now, now);
			return machine === null ? [] : [{ machine, person: p }];
		});
		const open = theirs.flatMap((t) =>
			one(
				db,
				`SELECT 1 FROM sessions s JOIN machines m ON m.id = s.machine_id AND m.until > @now WHERE m.name = @name AND s.until > @now`,
				{ now, name: t.machine }
			)
				? [t]
				: []
		);
		const machines = theirs.map((t) => t.machine);
		const steps: StepSpec[] = machines.length
			? [
					stepOf(
						'machines.give',
						'Take them back',
						{ give: machines.map((machine) => ({ machine, person: null })) },
						200
					),
					stepOf('machine.reset', 'Reset them to their image', { machines }, 60 * SECOND),
					stepOf('broker.tell', 'Tell the gateways', {}, 500)
				]
			: [];
		const took = steps.reduce((n, s) => n + s.expected, 0);
		return {
			title: `Take ${machines.length === 1 ? machines[0]! : countWords(machines.length, 'machine')} of ${pool.name} back`,
			effects: {
				...noEffects(),
				people: theirs.map((t) => ({
					kind: 'person',
					id: t.person.now,
					name: t.person.name,
					how: `keeps ${t.machine} no longer`
				})),
				machines: machines.map((m) => ({ kind: 'machine', id: m, name: m, how: 'reset; kept by nobody' })),
				duration: { middle: took, ninety: took * 2 }
			},
			warnings: [],
			blocks: [
				...(machines.length ? [] : [against('none of them keeps a machine of it')]),
				...open.map((t) => against(`${t.person.name} has a session open on ${t.machine}`, 'sessions'))
			],
			reasons: [
				{ words: 'what is on their disks is gone with the reset; profiles are not touched', source: 'compute provider' }
			],
			objects: [`pool/${pool.id}`, ...theirs.map((t) => `person/${t.person.now}`)],
			steps,
			undo: null,
			undoWords: 'They are given again by hand; what was on the disks is gone.'
		};
	}
});

export const keptPlans = [keepFor, keepNoMore, makeDesks, takeBack];
