import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { hoursWords, parseClock, timeOfDay } from '$lib/core/time/hours';
import { countWords, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { hoursById, machineCount, poolsAt } from '../pools';

const against = (words: string): Fact => ({ words, side: 'against', source: 'hours' });
const quick = { middle: SECOND, ninety: SECOND };
const time = (what: string) =>
	v.pipe(
		v.string(`Write when they ${what}.`),
		v.trim(),
		v.check((t) => parseClock(t) !== null, 'Write a time of day such as 07:00.')
	);
const calendarName = v.pipe(
	v.string('Write a name.'),
	v.trim(),
	v.regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'Small letters, digits and hyphens, 40 at most.')
);

/** Pools whose policy goes by a calendar. */
const poolsBy = (ctx: Context, hours: string) => poolsAt(ctx.db, ctx.clock.now()).filter((p) => p.hoursId === hours);

const setHours = planKind({
	kind: 'hours.set',
	words: 'Add working hours for policies to go by, or change some: days of the week, from when to when',
	area: 'capacity',
	undo: 'back',
	schema: v.strictObject({
		name: calendarName,
		/** 1 Monday … 7 Sunday. */
		days: v.pipe(
			v.array(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(7, 'From 1, Monday, to 7, Sunday.'))),
			v.minLength(1, 'Choose at least one day.'),
			v.maxLength(7, 'At most seven days.'),
			v.transform((days) => [...new Set(days)].sort((a, b) => a - b))
		),
		/** On the wall clock of each pool's site. Hours that end before they begin run past midnight. */
		from: time('begin'),
		until: time('end')
	}),
	async draft(ctx, input): Promise<Draft> {
		const hours = { days: input.days, from: parseClock(input.from)!, until: parseClock(input.until)! };
		if (hours.from >= 1440) throw new InputProblem([{ field: 'from', words: 'They begin before midnight.' }]);
		const before = hoursById(ctx.db).get(input.name);
		const pools = poolsBy(ctx, input.name);
		const same = before && hoursWords(before) === hoursWords(hours);
		return {
			title: `${before ? 'Change' : 'Add'} the hours ${input.name}: ${hoursWords(hours)}`,
			effects: {
				...noEffects(),
				machines: [],
				duration: quick
			},
			warnings: pools.map((p) =>
				against(
					`${p.name}, ${countWords(machineCount(ctx.db, p.id, ctx.clock.now()), 'machine')}, keeps its headroom in these hours from the next minute on`
				)
			),
			blocks: same ? [against('they are so already')] : [],
			reasons: before ? [{ words: `until now ${hoursWords(before)}`, source: 'hours' }] : [],
			objects: [`hours/${input.name}`, ...pools.map((p) => `pool/${p.id}`)],
			steps: [stepOf('hours.write', 'Write the hours', { id: input.name, ...hours }, 50)],
			undo: before
				? {
						kind: 'hours.set',
						input: { name: input.name, days: before.days, from: timeOfDay(before.from), until: timeOfDay(before.until) }
					}
				: { kind: 'hours.remove', input: { name: input.name } },
			undoWords: before ? 'Yes: they are again what they were.' : 'Yes, as long as no pool goes by them.'
		};
	}
});

const removeHours = planKind({
	kind: 'hours.remove',
	words: 'Take off working hours that no pool goes by',
	area: 'capacity',
	undo: 'back',
	schema: v.strictObject({ name: calendarName }),
	async draft(ctx, input): Promise<Draft> {
		const before = hoursById(ctx.db).get(input.name);
		if (!before) throw new InputProblem([{ field: 'name', words: `No hours are called ${input.name}.` }]);
		return {
			title: `Take off the hours ${input.name}`,
			effects: { ...noEffects(), duration: quick },
			warnings: [],
			blocks: poolsBy(ctx, input.name).map((p) => against(`${p.name} goes by them`)),
			reasons: [{ words: hoursWords(before), source: 'hours' }],
			objects: [`hours/${input.name}`],
			steps: [stepOf('hours.forget', 'Take them off', { id: input.name }, 50)],
			undo: {
				kind: 'hours.set',
				input: { name: input.name, days: before.days, from: timeOfDay(before.from), until: timeOfDay(before.until) }
			},
			undoWords: 'Yes: they are put back.'
		};
	}
});

export const hoursPlans = [setHours, removeHours] as const;
