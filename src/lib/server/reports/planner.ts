import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { columnWords, GROUPINGS, REPORT_LIMITS, specProblems } from '$lib/core/reports/spec';
import { recurrenceWords } from '$lib/core/time/recurrence';
import { countWords, numberWords, SECOND } from '$lib/core/time/units';
import { knowsZone } from '$lib/core/time/zone';
import { homeZone } from '../capacity';
import type { Context } from '../context';
import { columnsOf } from '../lists/sources';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { freeSlug } from '../plans/slug';
import { draftSchedule, schedulesAt } from '../schedules';
import { needOf, readScope, sourceCalled } from './making';
import { reportAt, reportsAt } from './queries';
import type { KeptReport } from './report';
import { SHIPPED } from './shipped';

/** Reports that are kept at most. */
const MOST = 500;
const words = (say: string, most: number) =>
	v.pipe(v.string(say), v.trim(), v.nonEmpty(say), v.maxLength(most, `At most ${most} characters.`));
const key = v.pipe(v.string(), v.maxLength(60, 'At most 60 characters.'));
const DAYS = 'A whole number of days from 1 to 90.';
const LINES = `A whole number of lines from 1 to ${numberWords(REPORT_LIMITS.lines)}.`;
const named = v.pipe(v.string('Say which report.'), v.trim(), v.nonEmpty('Say which report.'), v.maxLength(100));
const WHY = 'Write why: it tells what single people reached, and stays on record.';
const why = v.optional(v.pipe(v.string(), v.trim(), v.maxLength(300, 'At most 300 characters.')), '');

const quick = { ...noEffects(), duration: { middle: 100, ninety: 400 } };

/** A report by its id. Throws InputProblem where there is none. */
function reportOr({ db, clock }: Context, id: string): KeptReport {
	const report = reportAt(db, id, clock.now());
	if (!report) throw new InputProblem([{ field: 'report', words: `There is no report ${id}.` }]);
	return report;
}

const put = planKind({
	kind: 'report.put',
	words: 'Keep a report: a list, under a scope, as columns, groups and a chart',
	area: 'reports',
	undo: 'back',
	schema: v.strictObject({
		/** One that there is, or one that ships; absent: a new one. */
		id: v.optional(v.pipe(v.string(), v.maxLength(100))),
		name: words('Give it a name.', 80),
		question: words('Write the question that it answers.', 300),
		source: words('Choose what it is made of.', 60),
		scope: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(2000, 'At most 2,000 characters.')), ''),
		days: v.optional(v.pipe(v.number(DAYS), v.integer(DAYS), v.minValue(1, DAYS), v.maxValue(90, DAYS)), 30),
		columns: v.array(key, 'Choose a column at least.'),
		group: v.optional(
			v.nullable(v.strictObject({ column: key, by: v.picklist(GROUPINGS, `One of ${GROUPINGS.join(', ')}.`) })),
			null
		),
		chart: v.optional(v.nullable(key), null),
		sort: v.optional(key, ''),
		descending: v.optional(v.boolean(), false),
		limit: v.optional(
			v.pipe(v.number(LINES), v.integer(LINES), v.minValue(1, LINES), v.maxValue(REPORT_LIMITS.lines, LINES)),
			1000
		),
		zone: v.optional(v.pipe(v.string(), v.check(knowsZone, 'Write a time zone such as Europe/Oslo.')))
	}),
	takes: (_ctx, input) => [needOf(sourceCalled(input.source))],
	async draft({ db, clock }, input): Promise<Draft> {
		const now = clock.now();
		const source = sourceCalled(input.source);
		readScope(db, input.scope);
		const before = input.id === undefined ? null : reportAt(db, input.id, now);
		const ships = SHIPPED.some((r) => r.id === input.id);
		// One that was taken away comes back under its own id.
		const id =
			input.id ?? freeSlug(input.name, 'report', (slug) => reportAt(db, slug, now) !== null || everKept(db, slug));
		if (input.id !== undefined && !before && !ships && !everKept(db, input.id))
			throw new InputProblem([{ field: 'id', words: `There is no report ${input.id}.` }]);
		if (reportsAt(db, now).some((r) => r.id !== id && r.name.toLowerCase() === input.name.toLowerCase()))
			throw new InputProblem([{ field: 'name', words: `There is a report called ${input.name} already.` }]);
		const { columns, group, chart, sort, descending, limit } = input;
		const spec = { columns, group, chart, sort, descending, limit };
		const zone = input.zone ?? homeZone(db);
		const problems = specProblems({ ...spec, zone }, columnsOf(source));
		if (problems.length) throw new InputProblem(problems);
		const { name, question, scope, days } = input;
		const next = { name, question, source: input.source, scope, days, spec, zone };
		const same = before !== null && !before.ships && JSON.stringify(next) === JSON.stringify(asKept(before));
		return {
			title: before ? `Change the report ${before.name}` : `Keep the report ${name}`,
			effects: quick,
			warnings: source.asksWhy
				? [
						{
							words: 'it tells what single people reached: whoever makes it says why, and that stays on record',
							side: 'against'
						}
					]
				: [],
			blocks: [
				...(same ? [{ words: 'it is so already', side: 'against' as const }] : []),
				...(!before && reportsAt(db, now).length >= MOST
					? [{ words: `there are ${MOST} reports already: take one away first`, side: 'against' as const }]
					: [])
			],
			reasons: [
				{ words: source.words, source: source.overDays ? `the last ${countWords(days, 'day')}` : 'a list' },
				{
					words: `${group ? `by ${columnWords(group.column)}; ` : ''}${columns.map(columnWords).join(', ')}`,
					source: 'columns'
				}
			],
			objects: [`report/${id}`],
			steps: [{ kind: 'report.write', words: 'Write the report', input: { id, ...next }, expected: 100 }],
			undo:
				before && !before.ships
					? { kind: 'report.put', input: { id, ...flat(before) } }
					: { kind: 'report.remove', input: { report: id } },
			undoWords:
				before && !before.ships
					? 'It is again what it was.'
					: 'It is taken away; one that ships is again what it was. What was made of it stays.'
		};
	}
});

/** What of a report is compared with another. */
const asKept = (r: KeptReport) => ({
	name: r.name,
	question: r.question,
	source: r.source,
	scope: r.scope,
	days: r.days,
	spec: {
		columns: r.spec.columns,
		group: r.spec.group,
		chart: r.spec.chart,
		sort: r.spec.sort,
		descending: r.spec.descending,
		limit: r.spec.limit
	},
	zone: r.zone
});

/** A report as the plan that puts it takes it. */
function flat(r: KeptReport) {
	const { spec, ...rest } = asKept(r);
	return { ...rest, ...spec, columns: [...spec.columns] };
}

const everKept = (db: Context['db'], id: string): boolean =>
	db.prepare('SELECT 1 FROM reports WHERE id = ? LIMIT 1').get(id) !== undefined;

const remove = planKind({
	kind: 'report.remove',
	words: 'Take a report away; what was made of it stays',
	area: 'reports',
	undo: 'back',
	schema: v.strictObject({ report: named }),
	async draft(ctx, { report: id }): Promise<Draft> {
		const report = reportOr(ctx, id);
		const comes = schedulesByReport(ctx).get(id);
		return {
			title: `Take the report ${report.name} away`,
			effects: quick,
			warnings: SHIPPED.some((r) => r.id === id)
				? [{ words: 'it ships: it is again as it came, and not gone', side: 'against' }]
				: [],
			blocks: [
				...(report.ships ? [{ words: 'it came with Sextant and is as it came', side: 'against' as const }] : []),
				...(comes
					? [{ words: `${comes.title} makes it again and again: take that off first`, side: 'against' as const }]
					: [])
			],
			reasons: [{ words: report.question, source: `kept by ${report.by}` }],
			objects: [`report/${id}`],
			steps: [{ kind: 'report.end', words: 'Take the report away', input: { id }, expected: 100 }],
			undo: { kind: 'report.put', input: { id, ...flat(report) } },
			undoWords: 'It is put back.'
		};
	}
});

/** Schedules in force that make reports, by the report that each makes. */
export function schedulesByReport({ db, clock }: Pick<Context, 'db' | 'clock'>) {
	const found = new Map<string, ReturnType<typeof schedulesAt>[number]>();
	for (const s of schedulesAt(db, clock.now())) {
		const report = s.kind === 'report.run' ? (s.input as { report?: unknown } | null)?.report : undefined;
		if (typeof report === 'string' && !found.has(report)) found.set(report, s);
	}
	return found;
}

const runIt = planKind({
	kind: 'report.run',
	words: 'Make a report of how things are: it is kept, as CSV and as PDF',
	area: 'reports',
	undo: 'never',
	schema: v.strictObject({ report: named, why }),
	// Of what whoever makes it sees: it changes nothing of anybody.
	decides: () => ['report-run/own'],
	takes: (ctx, { report }) => {
		const found = reportAt(ctx.db, report, ctx.clock.now());
		return found ? [needOf(sourceCalled(found.source))] : [];
	},
	async draft(ctx, input): Promise<Draft> {
		const report = reportOr(ctx, input.report);
		const source = sourceCalled(report.source);
		if (source.asksWhy && input.why.length < 3) throw new InputProblem([{ field: 'why', words: WHY }]);
		readScope(ctx.db, report.scope);
		return {
			title: `Make the report ${report.name}`,
			effects: { ...noEffects(), duration: { middle: SECOND, ninety: 10 * SECOND } },
			warnings: [],
			blocks: [],
			reasons: [
				{ words: report.question, source: 'what it answers' },
				{ words: source.words, source: source.overDays ? `the last ${countWords(report.days, 'day')}` : 'a list' },
				...(source.asksWhy ? [{ words: input.why, source: 'what stays on record' }] : [])
			],
			objects: [`report-run/${report.id}`],
			steps: [
				{
					kind: 'report.make',
					words: 'Read, put together, keep',
					input: { report: report.id, why: source.asksWhy ? input.why : null },
					expected: SECOND
				}
			],
			undo: null,
			undoWords: 'What was made stays for a while; it changes nothing.'
		};
	}
});

const schedule = planKind({
	kind: 'report.schedule',
	words: 'Make a report again and again, by a recurrence rule (RFC 5545)',
	area: 'reports',
	undo: 'back',
	schema: v.strictObject({
		report: named,
		why,
		rule: v.pipe(v.string(), v.trim(), v.nonEmpty('Write a rule such as FREQ=WEEKLY;BYDAY=MO.'), v.maxLength(300)),
		begins: v.pipe(v.string(), v.maxLength(40)),
		zone: v.pipe(v.string(), v.check(knowsZone, 'Write a time zone such as Europe/Oslo.'))
	}),
	takes: (ctx, input) => runIt.takes!(ctx, { report: input.report, why: input.why }),
	async draft(ctx, { report: id, why: reason, rule, begins, zone }): Promise<Draft> {
		const report = reportOr(ctx, id);
		if (schedulesByReport(ctx).has(id))
			throw new InputProblem([{ field: 'report', words: 'It is made again and again already: take that off first.' }]);
		const input = { report: id, ...(reason ? { why: reason } : {}) };
		const draft = await draftSchedule(
			ctx,
			{ title: freeTitle(ctx, report.name), kind: 'report.run', input, rule, begins, zone },
			await runIt.draft(ctx, { report: id, why: reason })
		);
		return {
			...draft,
			title: `Make ${report.name} ${recurrenceWords({ rule, begins, zone })}`,
			objects: [`report/${id}`],
			undo: { kind: 'report.unschedule', input: { report: id } }
		};
	}
});

/** A schedule is found by its title: of two alike the second has a number. */
function freeTitle({ db, clock }: Context, name: string): string {
	const taken = new Set(schedulesAt(db, clock.now()).map((s) => s.title));
	const short = name.slice(0, 70);
	let title = short;
	for (let n = 2; taken.has(title); n++) title = `${short} ${n}`;
	return title;
}

const unschedule = planKind({
	kind: 'report.unschedule',
	words: 'Make a report no longer by itself',
	area: 'reports',
	undo: 'back',
	schema: v.strictObject({ report: named }),
	async draft(ctx, { report: id }): Promise<Draft> {
		const report = reportOr(ctx, id);
		const set = schedulesByReport(ctx).get(id);
		const { why: said } = (set?.input ?? {}) as { why?: string };
		return {
			title: `Make ${report.name} no longer by itself`,
			effects: quick,
			warnings: [],
			blocks: set ? [] : [{ words: 'it is not made by itself', side: 'against' }],
			reasons: set ? [{ words: `set by ${set.by}: ${recurrenceWords(set)}`, at: set.since, source: 'schedules' }] : [],
			objects: [`report/${id}`],
			steps: set
				? [{ kind: 'schedule.end', words: 'Take the schedule off', input: { schedule: set.id }, expected: 100 }]
				: [],
			undo: set
				? {
						kind: 'report.schedule',
						input: { report: id, ...(said ? { why: said } : {}), rule: set.rule, begins: set.begins, zone: set.zone }
					}
				: null,
			undoWords: 'It is set again.'
		};
	}
});

export const reportPlans = [put, remove, runIt, schedule, unschedule] as const;
