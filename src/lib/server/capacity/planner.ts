import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, DAY, durationWords, HOUR, MINUTE } from '$lib/core/time/units';
import { hoursWords, inHours } from '$lib/core/time/hours';
import type { Fact } from '$lib/core/why/explained';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { demandCurve } from './demand';
import { hoursPlans } from './hours-plans';
import { STEP } from './kept-counts';
import { hoursById, machineCount, poolAt } from '../pools';

const whole = (what: string) =>
	v.optional(
		v.pipe(
			v.number(`Write ${what} as a number.`),
			v.integer(`Write ${what} as a whole number.`),
			v.minValue(0, 'At least 0.'),
			v.maxValue(5000, 'At most 5,000.')
		)
	);

const setPolicy = planKind({
	kind: 'policy.set',
	words: 'Change how a pool keeps capacity; what is left out stays as it is',
	area: 'capacity',
	undo: 'back',
	schema: v.strictObject({
		pool: v.string(),
		hours: v.optional(v.string()),
		headroomIn: whole('the headroom'),
		headroomOut: whole('the headroom'),
		least: whole('the fewest machines'),
		most: whole('the most machines'),
		patience: v.optional(
			v.pipe(v.number('Write a duration.'), v.minValue(MINUTE, 'At least a minute.'), v.maxValue(DAY, 'At most a day.'))
		),
		placing: v.optional(v.picklist(['fill', 'spread']))
	}),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const pool = poolAt(ctx.db, input.pool, now);
		if (!pool) throw new InputProblem([{ field: 'pool', words: `There is no pool called ${input.pool}.` }]);
		const { pool: _id, ...wanted } = input;
		const { hours: _hours, ...old } = pool.policy;
		const before = { ...old, hours: pool.hoursId };
		const after = {
			...before,
			...Object.fromEntries(Object.entries(wanted).filter(([, value]) => value !== undefined))
		} as typeof before;
		const calendar = hoursById(ctx.db).get(after.hours);
		const machines = machineCount(ctx.db, pool.id, now);
		const problems: { field: string; words: string }[] = [];
		if (!calendar) problems.push({ field: 'hours', words: 'Choose hours.' });
		if (after.least > after.most)
			problems.push({ field: 'least', words: `The fewest, ${after.least}, is more than the most, ${after.most}.` });
		if (after.most > machines) problems.push({ field: 'most', words: `The pool has ${machines} machines.` });
		if (problems.length) throw new InputProblem(problems);

		const demand = demandCurve(ctx.db, now - 14 * DAY, (14 * DAY) / STEP, { pool: pool.id });
		const up = (policy: typeof before, hours: NonNullable<typeof calendar>) =>
			demand.reduce((n, sessions, i) => {
				const room = inHours(hours, pool.zone, now - 14 * DAY + i * STEP) ? policy.headroomIn : policy.headroomOut;
				return n + Math.min(policy.most, Math.max(policy.least, Math.ceil((sessions + room) / pool.perMachine)));
			}, 0);
		const monthly = (policy: typeof before, hours: NonNullable<typeof calendar>) =>
			Math.round(((up(policy, hours) * STEP) / HOUR) * pool.priceHour * (730 / (14 * 24)));
		const peak = demand.reduce((a, b) => Math.max(a, b), 0);
		const holds = after.most * pool.perMachine;
		const names: Record<string, string> = {
			hours: 'hours',
			headroomIn: 'seats ready in hours',
			headroomOut: 'seats ready outside them',
			least: 'never fewer than',
			most: 'never more than',
			patience: 'switch off after idle for',
			placing: 'new sessions go'
		};
		const show = (key: string, value: unknown) => (key === 'patience' ? durationWords(value as number) : String(value));
		const changes = Object.keys(names).filter(
			(k) => before[k as keyof typeof before] !== after[k as keyof typeof after]
		);
		return {
			title: `Change the policy of ${pool.name}`,
			effects: {
				...noEffects(),
				cost: { before: monthly(before, pool.policy.hours), after: monthly(after, calendar!) }
			},
			warnings: [
				...(holds < peak
					? [
							{
								words: `the most, ${countWords(after.most, 'machine')}, hold ${holds} sessions; the peak of the last 14 days was ${peak}`,
								side: 'against' as const,
								source: 'measured'
							}
						]
					: []),
				...(after.headroomIn === 0 && pool.assignment === 'shared'
					? [
							{
								words: 'without headroom everybody who comes to a full pool waits for a machine to start',
								side: 'against' as const
							}
						]
					: [])
			],
			blocks: changes.length === 0 ? [{ words: 'nothing in it is different', side: 'against' }] : [],
			reasons: [
				...changes.map((k): Fact => ({
					words: `${names[k]}: ${show(k, before[k as keyof typeof before])} → ${show(k, after[k as keyof typeof after])}`,
					source: 'policy'
				})),
				{ words: `hours are ${hoursWords(calendar!)} in ${pool.siteName}`, source: 'hours' },
				{
					words:
						'cost: sessions of the last 14 days with this headroom on top, machine by machine, at the pool’s price',
					source: 'measured'
				}
			],
			objects: [`pool/${pool.id}`],
			steps: [
				{
					kind: 'policy.write',
					words: 'Write the policy; it acts from the next minute on',
					input: { pool: pool.id, policy: after },
					expected: 200
				},
				{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 }
			],
			undo: { kind: 'policy.set', input: { pool: pool.id, ...before } },
			undoWords: 'Yes: the policy as it was is put back.'
		};
	}
});

export const capacityPlans = [setPolicy, ...hoursPlans];
