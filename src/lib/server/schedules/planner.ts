import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import {
	occurrences,
	recurrenceProblems,
	recurrenceWords,
	skippedTimes,
	type Recurrence
} from '$lib/core/time/recurrence';
import { DAY } from '$lib/core/time/units';
import { knowsZone, momentWords } from '$lib/core/time/zone';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { parseInput } from '../plans';
import { planKindOf } from '../plans/catalogue';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { scheduleById, schedulesAt } from './queries';

/** Kinds of plan that may come back by themselves: all of the builder's own area, and none that takes something away. */
const SCHEDULABLE = ['image.rebuild', 'image.build', 'machines.reset', 'machines.move', 'volumes.even'];

const addPlan = planKind({
	kind: 'schedule.add',
	words: 'Let a plan come back by itself, by a recurrence rule (RFC 5545)',
	area: 'images',
	undo: 'back',
	schema: v.strictObject({
		title: v.pipe(v.string(), v.trim(), v.nonEmpty('Give it a name.'), v.maxLength(80, 'At most 80 characters.')),
		kind: v.picklist(SCHEDULABLE, `Only these come back by themselves: ${SCHEDULABLE.join(', ')}.`),
		input: v.record(v.string(), v.unknown()),
		rule: v.pipe(v.string(), v.trim(), v.nonEmpty('Write a rule such as FREQ=MONTHLY;BYDAY=2TU.')),
		begins: v.string(),
		zone: v.pipe(v.string(), v.check(knowsZone, 'Write a time zone such as Europe/Oslo.'))
	}),
	async draft(ctx, input): Promise<Draft> {
		const kind = planKindOf(input.kind);
		if (!kind) throw new InputProblem([{ field: 'kind', words: `There is no kind of plan called ${input.kind}.` }]);
		const wrong = recurrenceProblems(input);
		if (wrong.length) throw new InputProblem(wrong);
		return draftSchedule(ctx, input, await kind.draft(ctx, parseInput(kind.schema, input.input)));
	}
});

/** What comes back by itself. */
interface Comes extends Recurrence {
	title: string;
	kind: string;
	input: Record<string, unknown>;
}

/**
 * A plan by which another comes back by itself: when it is due, what it would be as things are now. Throws InputProblem.
 * @param first that other plan, as it would be now
 */
export async function draftSchedule(ctx: Context, input: Comes, first: Draft): Promise<Draft> {
	const wrong = recurrenceProblems(input);
	if (wrong.length) throw new InputProblem(wrong);
	const now = ctx.clock.now();
	if (schedulesAt(ctx.db, now).some((s) => s.title === input.title))
		throw new InputProblem([{ field: 'title', words: `There is a schedule called ${input.title} already.` }]);
	const next = occurrences(input, now, now + 800 * DAY, 3);
	const zone = input.zone;
	const skipped = skippedTimes(input, now);
	return {
		title: `${input.title}: ${recurrenceWords(input)}`,
		effects: noEffects(),
		warnings: [
			...skipped.slice(0, 2).map((s): Fact => ({
				words: `on ${s.day} the clock skips ${input.begins.slice(11)}: it is done at ${s.instead}`,
				side: 'against',
				source: 'time zone'
			})),
			...first.blocks.map((b): Fact => ({
				words: `as things are now it could not be done: ${b.words}`,
				side: 'against'
			}))
		],
		blocks: next.length === 0 ? [{ words: 'it is never due again', side: 'against' }] : [],
		reasons: [
			...next.map((t, i): Fact => ({
				words: `${i === 0 ? 'due first' : 'then'} ${momentWords(zone, t)}`,
				source: 'recurrence rule'
			})),
			{ words: `each time: ${first.title}`, source: 'plan' },
			{
				words: 'each time its plan is computed anew; when it is blocked, it is not done, and Today says so',
				source: 'plans'
			}
		],
		objects: [],
		steps: [{ kind: 'schedule.write', words: 'Write the schedule', input, expected: 200 }],
		undo: { kind: 'schedule.remove', input: { schedule: input.title } },
		undoWords: 'Yes: the schedule is taken off; what it has done by then stays done.'
	};
}

const removePlan = planKind({
	kind: 'schedule.remove',
	words: 'Take a schedule off',
	area: 'images',
	undo: 'back',
	/** By its number, or by its name among those in force. */
	schema: v.strictObject({ schedule: v.union([v.pipe(v.number(), v.integer()), v.string()], 'Name a schedule.') }),
	async draft(ctx, input): Promise<Draft> {
		const s =
			typeof input.schedule === 'number'
				? scheduleById(ctx.db, input.schedule)
				: schedulesAt(ctx.db, ctx.clock.now()).find((x) => x.title === input.schedule);
		if (!s) throw new InputProblem([{ field: 'schedule', words: `There is no schedule ${input.schedule}.` }]);
		const next = occurrences(s, ctx.clock.now(), ctx.clock.now() + 800 * DAY, 1)[0];
		return {
			title: `Take off ${s.title}`,
			effects: noEffects(),
			warnings: [],
			blocks: s.until <= ctx.clock.now() ? [{ words: 'it is off already', side: 'against' }] : [],
			reasons: [
				{
					words: next === undefined ? 'it is never due again' : `it would be due ${momentWords(s.zone, next)}`,
					source: 'recurrence rule'
				}
			],
			objects: [`schedule/${s.id}`],
			steps: [{ kind: 'schedule.end', words: 'Take the schedule off', input: { schedule: s.id }, expected: 200 }],
			undo: {
				kind: 'schedule.add',
				input: {
					title: s.title,
					kind: s.kind,
					input: s.input as Record<string, unknown>,
					rule: s.rule,
					begins: s.begins,
					zone: s.zone
				}
			},
			undoWords: 'Yes: it is set again.'
		};
	}
});

export const schedulePlans = [addPlan, removePlan];
