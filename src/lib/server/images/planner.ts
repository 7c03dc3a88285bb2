import { isDeepStrictEqual } from 'node:util';
import * as v from 'valibot';
import { chanceOver, expectDuration } from '$lib/core/images/duration';
import { checkSheet, STEP_KINDS, type BuildSheet } from '$lib/core/images/sheet';
import { isVersion, proposeNumber, byVersion } from '$lib/core/images/versions';
import { noEffects } from '$lib/core/plans/effects';
import { durationWords, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { InputProblem, planKind, type Draft, type StepSpec } from '../plans/kind';
import { buildById, linesAt, openBuilds, sheetAt, stepHistories } from './queries';

const lineId = v.pipe(v.string(), v.nonEmpty('Choose an image line.'));

/** Version number to propose for a line's next build. */
export function nextNumber(ctx: Context, line: string): string {
	const versions = linesAt(ctx.db, ctx.clock.now()).find((l) => l.id === line)?.versions ?? [];
	const newest = versions.at(-1)?.number ?? null;
	return proposeNumber(
		newest,
		'steps',
		new Set([...versions.map((x) => x.number), ...openBuilds(ctx.db, line).map((b) => b.number)])
	);
}

function sheetOrThrow(ctx: Context, line: string): BuildSheet {
	const sheet = sheetAt(ctx.db, line, ctx.clock.now());
	if (!sheet) throw new InputProblem([{ field: 'line', words: `There is no image line called ${line}.` }]);
	return sheet;
}

/** The steps of a build job from step `from` of a sheet on. */
function buildSteps(ctx: Context, line: string, number: string, sheet: BuildSheet, from: number): StepSpec[] {
	const histories = stepHistories(ctx.db, line, sheet);
	return [
		...sheet.steps.slice(from).map((s, i): StepSpec => {
			const expected = expectDuration([histories[from + i]!]).middle;
			return {
				kind: 'image.step',
				words: s.words,
				input: {
					line,
					number,
					step: from + i,
					kind: s.kind,
					words: s.words,
					usual: expected,
					cores: sheet.builder.cores,
					limit: sheet.limit
				},
				expected
			};
		}),
		{
			kind: 'image.keep',
			words: `Keep as ${line} ${number}, remove the staging`,
			input: { line, number },
			expected: 55_000
		}
	];
}

function expectationFacts(
	ctx: Context,
	line: string,
	sheet: BuildSheet,
	from: number
): { facts: Fact[]; warnings: Fact[]; duration: { middle: number; ninety: number } } {
	const histories = stepHistories(ctx.db, line, sheet).slice(from);
	const expect = expectDuration(histories);
	const over = chanceOver(histories, sheet.limit);
	return {
		duration: { middle: expect.middle, ninety: expect.ninety },
		facts: [
			{
				words: `expected ${durationWords(expect.middle)}, nine times in ten under ${durationWords(expect.ninety)}`,
				source: expect.runs ? `at least ${expect.runs} past runs of each step` : 'runs of the same kind of step'
			},
			{ words: `stopped at its limit of ${durationWords(sheet.limit)}`, source: 'build sheet' }
		],
		warnings:
			over >= 0.02
				? [{ words: `the chance to run past its limit is ${Math.round(over * 100)} %`, side: 'against' }]
				: []
	};
}

const buildPlan = planKind({
	kind: 'image.build',
	words: 'Build the next version of an image line from its build sheet',
	area: 'images',
	schema: v.strictObject({
		line: lineId,
		number: v.optional(v.pipe(v.string(), v.check(isVersion, 'Write a version such as 3.3.0.'))),
		note: v.optional(v.pipe(v.string(), v.maxLength(400, 'At most 400 characters.')), '')
	}),
	async draft(ctx, input): Promise<Draft> {
		const sheet = sheetOrThrow(ctx, input.line);
		const line = linesAt(ctx.db, ctx.clock.now()).find((l) => l.id === input.line)!;
		const number = input.number ?? nextNumber(ctx, input.line);
		const taken = line.versions.some((x) => x.number === number);
		const problems = checkSheet(sheet);
		const newest = line.versions.at(-1);
		const { facts, warnings, duration } = expectationFacts(ctx, input.line, sheet, 0);
		const running = openBuilds(ctx.db, input.line).find((b) => b.state === 'running');
		const bytes = sheet.steps.reduce((n, s) => n + (s.adds?.size ?? 0), 0);
		return {
			title: `Build ${input.line} ${number}`,
			effects: { ...noEffects(), bytes, duration },
			warnings: [
				...warnings,
				...(newest && byVersion(number, newest.number) < 0
					? [{ words: `${number} is older than ${newest.number}, the newest of the line`, side: 'against' as const }]
					: [])
			],
			blocks: [
				...problems.map((p) => p.fact),
				...(taken ? [{ words: `there is a version ${number} already`, side: 'against' as const }] : []),
				...(running
					? [
							{
								words: `${running.number} of this line is being built by job ${running.jobId}: builds of a line do not run side by side`,
								side: 'against' as const,
								about: { kind: 'job', id: String(running.jobId) }
							}
						]
					: [])
			],
			reasons: [
				...facts,
				{ words: `the sheet has ${sheet.steps.length} steps and adds ${sizeWords(bytes)}`, source: 'build sheet' },
				{ words: 'no machine takes the version by itself: it starts held', source: 'follow rules' }
			],
			objects: [`line/${input.line}`],
			steps: [
				{
					kind: 'image.begin',
					words: 'Start a builder machine',
					input: { line: input.line, number, note: input.note, from: 0 },
					expected: 8000
				},
				...buildSteps(ctx, input.line, number, sheet, 0)
			],
			undo: null,
			undoWords: 'It only adds a version, which nothing uses until it is released; it can be left alone.'
		};
	}
});

const resumePlan = planKind({
	kind: 'image.resume',
	words: 'Take a failed build up again at the step that failed',
	area: 'images',
	schema: v.strictObject({ build: v.pipe(v.number(), v.integer()) }),
	async draft(ctx, input): Promise<Draft> {
		const build = buildById(ctx.db, input.build);
		if (!build) throw new InputProblem([{ field: 'build', words: `There is no build ${input.build}.` }]);
		const sheet = JSON.parse(build.sheet) as BuildSheet;
		const { facts, warnings, duration } = expectationFacts(ctx, build.line, sheet, build.doneSteps);
		const step = sheet.steps[build.doneSteps];
		return {
			title: `Resume the build of ${build.line} ${build.number}${step ? ` at “${step.words}”` : ''}`,
			effects: {
				...noEffects(),
				duration,
				bytes: sheet.steps.slice(build.doneSteps).reduce((n, s) => n + (s.adds?.size ?? 0), 0)
			},
			warnings,
			blocks:
				build.state === 'failed' || build.state === 'cancelled'
					? []
					: [{ words: `build ${build.id} is ${build.state}: there is nothing to resume`, side: 'against' }],
			reasons: [
				{
					words: `${build.doneSteps} of ${sheet.steps.length} steps are done and kept on the builder`,
					source: 'build log',
					about: { kind: 'job', id: String(build.jobId) }
				},
				...facts
			],
			objects: [`line/${build.line}`],
			steps: [
				{
					kind: 'image.begin',
					words: 'Take the builder machine up again',
					input: { line: build.line, number: build.number, note: '', from: build.doneSteps, build: build.id },
					expected: 8000
				},
				...buildSteps(ctx, build.line, build.number, sheet, build.doneSteps)
			],
			undo: null,
			undoWords: 'It only adds a version, which nothing uses until it is released; it can be left alone.'
		};
	}
});

const component = v.strictObject({
	name: v.pipe(v.string(), v.trim(), v.nonEmpty('Name what it adds.')),
	version: v.string(),
	size: v.pipe(v.number(), v.minValue(0, 'A size is 0 or more.'))
});
const sheetPlan = planKind({
	kind: 'image.sheet',
	words: 'Change the build sheet of an image line',
	area: 'images',
	schema: v.strictObject({
		line: lineId,
		limit: v.pipe(v.number('Write a duration.'), v.minValue(60_000, 'The limit is at least a minute.')),
		builder: v.strictObject({
			cores: v.pipe(
				v.number(),
				v.integer('Whole cores.'),
				v.minValue(1, 'At least one core.'),
				v.maxValue(64, 'At most 64 cores.')
			),
			memory: v.number(),
			disk: v.number()
		}),
		steps: v.pipe(
			v.array(
				v.strictObject({
					kind: v.picklist(STEP_KINDS, 'Choose a kind of step.'),
					words: v.pipe(v.string(), v.trim(), v.nonEmpty('Say what the step does.')),
					note: v.optional(v.string()),
					adds: v.optional(component)
				})
			),
			v.minLength(1, 'A sheet has at least one step.')
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const before = sheetOrThrow(ctx, input.line);
		const { line, ...sheet } = input;
		const problems = checkSheet(sheet);
		const then = expectDuration(stepHistories(ctx.db, line, sheet));
		const now = expectDuration(stepHistories(ctx.db, line, before));
		const same = isDeepStrictEqual(before, sheet);
		return {
			title: `Change the build sheet of ${line}`,
			effects: noEffects(),
			warnings: problems.map((p) => p.fact),
			blocks: same ? [{ words: 'nothing in it is different', side: 'against' }] : [],
			reasons: [
				{
					words: `a build is expected to take ${durationWords(then.middle)}, before ${durationWords(now.middle)}`,
					source: 'past runs'
				},
				{ words: 'versions that are built already stay as they are', source: 'build sheet' }
			],
			objects: [`line/${line}`],
			steps: [{ kind: 'image.write-sheet', words: 'Write the sheet', input: { line, sheet }, expected: 200 }],
			undo: { kind: 'image.sheet', input: { line, limit: before.limit, builder: before.builder, steps: before.steps } },
			undoWords: 'Yes: the sheet as it was is put back.'
		};
	}
});

const holdPlan = planKind({
	kind: 'image.hold',
	words: 'Hold a version back from being taken as newest, or release it',
	area: 'images',
	schema: v.strictObject({ line: lineId, number: v.string(), held: v.boolean() }),
	async draft(ctx, input): Promise<Draft> {
		const version = linesAt(ctx.db, ctx.clock.now())
			.find((l) => l.id === input.line)
			?.versions.find((x) => x.number === input.number);
		if (!version) throw new InputProblem([{ field: 'number', words: `There is no ${input.line} ${input.number}.` }]);
		const verb = input.held ? 'Hold' : 'Release';
		return {
			title: `${verb} ${input.line} ${input.number}`,
			effects: noEffects(),
			warnings: [],
			blocks:
				version.held === input.held
					? [{ words: input.held ? 'it is held already' : 'it is not held', side: 'against' }]
					: [],
			reasons: [
				{ words: `${version.machines} machines are on it and stay on it`, source: 'measured' },
				{
					words: input.held ? 'new pools can no longer be made from it' : 'pools can be made from it',
					source: 'follow rules'
				}
			],
			objects: [`version/${input.line}/${input.number}`],
			steps: [{ kind: 'image.set-hold', words: `${verb} the version`, input, expected: 200 }],
			undo: { kind: 'image.hold', input: { ...input, held: !input.held } },
			undoWords: input.held ? 'Yes: it is released again.' : 'Yes: it is held again.'
		};
	}
});

export const imagePlans = [buildPlan, resumePlan, sheetPlan, holdPlan];
