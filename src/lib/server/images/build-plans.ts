import { newestOf } from '$lib/core/images/follow';
import { isDeepStrictEqual } from 'node:util';
import * as v from 'valibot';
import { chanceOver, expectDuration } from '$lib/core/images/duration';
import { kindOf, RIGHTS } from '$lib/core/images/library/kinds';
import { anyParams } from '$lib/core/images/library/params';
import {
	betterOrder,
	checkSheet,
	commonSteps,
	expectedContents,
	makeStep,
	pinnedTo,
	rightsNeeded,
	sheetChange,
	stepWords,
	type BuildSheet
} from '$lib/core/images/sheet';
import { readSheet, SHEET_LIMITS } from '$lib/core/images/sheet-text';
import { byVersion, isVersion, proposeNumber } from '$lib/core/images/versions';
import { noEffects } from '$lib/core/plans/effects';
import { durationWords, MINUTE, SECOND, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { whole } from '../plans/fields';
import { InputProblem, planKind, type Draft, type StepSpec } from '../plans/kind';
import { buildById, openBuilds, stepHistories, suppliesOf } from './builds';
import { expectedHandOut } from './shipping';
import { lineAt, sheetAt, sheetOf, type LineRow } from './queries';
import { fromJson } from '../db/json';

export const lineId = v.pipe(v.string(), v.nonEmpty('Choose an image line.'));
export const versionNumber = v.pipe(v.string(), v.check(isVersion, 'Write a version such as 3.3.0.'));
export const noteText = v.optional(v.pipe(v.string(), v.maxLength(400, 'At most 400 characters.')), '');

/** A line that there is, or the problem beside the field. */
export function lineOrThrow(ctx: Context, line: string): LineRow {
	const row = lineAt(ctx.db, line, ctx.clock.now());
	if (!row) throw new InputProblem([{ field: 'line', words: `There is no image line called ${line}.` }]);
	return row;
}

/** Numbers of a line that are in use or being built. */
export const takenNumbers = (ctx: Context, line: LineRow): Set<string> =>
	new Set([...line.versions.map((x) => x.number), ...openBuilds(ctx.db, line.id).map((b) => b.number)]);

/** Version number to propose for a line's next build, from what its sheet has become since its newest version. */
export function nextNumber(ctx: Context, lineName: string, sheet?: BuildSheet): string {
	const line = lineOrThrow(ctx, lineName);
	const newest = line.versions.at(-1);
	const now = sheet ?? sheetAt(ctx.db, lineName, ctx.clock.now());
	const before =
		newest &&
		ctx.db.prepare('SELECT sheet FROM versions WHERE line_id = ? AND number = ?').pluck().get(lineName, newest.number);
	const change =
		typeof before === 'string' && now ? sheetChange(fromJson<BuildSheet>('versions.sheet', before), now) : 'steps';
	return proposeNumber(newest?.number ?? null, change ?? 'updates', takenNumbers(ctx, line));
}

function sheetOrThrow(ctx: Context, line: string): BuildSheet {
	const sheet = sheetAt(ctx.db, line, ctx.clock.now());
	if (!sheet) throw new InputProblem([{ field: 'line', words: `There is no image line called ${line}.` }]);
	return sheet;
}

const newestNumber = (ctx: Context, line: string): string | null =>
	lineAt(ctx.db, line, ctx.clock.now())?.versions.at(-1)?.number ?? null;

/** The steps of a build job from step `from` of a sheet on, with keeping and handing out the outcome. */
function buildSteps(ctx: Context, line: string, number: string, sheet: BuildSheet, from: number): StepSpec[] {
	const histories = stepHistories(ctx.db, line, sheet);
	return [
		...sheet.steps.slice(from).map((step, i): StepSpec => ({
			kind: 'image.step',
			words: stepWords(step),
			input: { line, number, step: from + i },
			expected: expectDuration([histories[from + i]!]).middle
		})),
		{
			kind: 'image.keep',
			words: `Keep as ${line} ${number}, remove the staging`,
			input: { line, number },
			expected: 55 * SECOND
		},
		{
			kind: 'image.hand-out',
			words: 'Hand it out where a thick link leads',
			input: { line, number },
			expected: expectedHandOut(ctx.db, line, newestNumber(ctx, line))
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
	const guessed = histories.filter((h) => h.from === 'its kind' || h.from === 'assumption').length;
	return {
		duration: { middle: expect.middle, ninety: expect.ninety },
		facts: [
			{
				words: `expected ${durationWords(expect.middle)}, nine times in ten under ${durationWords(expect.ninety)}`,
				source: guessed
					? `past runs; ${guessed} of ${histories.length} steps have hardly run yet`
					: `at least ${expect.runs} past runs of each step`
			},
			{
				words: `stopped at its limit of ${durationWords(sheet.limit)}; the chance to run past it is ${percent(over)}`,
				source: 'build sheet'
			}
		],
		warnings: over >= 0.02 ? [{ words: `the chance to run past its limit is ${percent(over)}`, side: 'against' }] : []
	};
}

const percent = (share: number) => (share > 0 && share < 0.005 ? 'under 1 %' : `${Math.round(share * 100)} %`);

/** What the builder's account lacks for a sheet, each as a block. */
async function missingRights(ctx: Context, sheet: BuildSheet): Promise<Fact[]> {
	const granted = new Set(await ctx.providers.builder.rights());
	return rightsNeeded(sheet)
		.filter((r) => !granted.has(r.right))
		.map((r): Fact => ({
			words: `the builder’s account may not ${RIGHTS[r.right]}, which ${r.steps.map((i) => `“${stepWords(sheet.steps[i]!)}”`).join(' and ')} ${r.steps.length === 1 ? 'needs' : 'need'}`,
			side: 'against',
			source: 'compute provider'
		}));
}

/** Blocks and facts of building a sheet as it stands: its problems, its rights, what it is expected to hold. */
async function soundness(
	ctx: Context,
	line: LineRow,
	sheet: BuildSheet
): Promise<{ blocks: Fact[]; reasons: Fact[]; bytes: number }> {
	const supplies = await suppliesOf(ctx);
	const contents = expectedContents(sheet, supplies);
	const bytes = contents.reduce((n, c) => n + c.size, 0);
	return {
		blocks: [...checkSheet(sheet, line, supplies).map((p) => p.fact), ...(await missingRights(ctx, sheet))],
		reasons: [
			{
				words: `it will hold about ${sizeWords(bytes)}: ${contents.map((c) => `${c.name} ${c.version}`).join(', ')}; system updates may bring newer parts`,
				source: 'build sheet and stores'
			}
		],
		bytes
	};
}

/** Facts about builds of the line that come first: a builder makes one version at a time. */
function queueFacts(ctx: Context, line: string): Fact[] {
	return openBuilds(ctx.db, line)
		.filter((b) => b.state === 'running' || b.state === 'queued')
		.map((b): Fact => ({
			words: `it waits for ${b.number} of this line, which job ${b.jobId} builds: a line builds one version at a time`,
			about: { kind: 'job', id: String(b.jobId) },
			source: 'builds'
		}));
}

const NO_UNDO = 'It only adds a version, which nothing uses until it is released; it can be left alone.';

const buildPlan = planKind({
	kind: 'image.build',
	words: 'Build the next version of an image line from its build sheet',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({ line: lineId, number: v.optional(versionNumber), note: noteText }),
	async draft(ctx, input): Promise<Draft> {
		const line = lineOrThrow(ctx, input.line);
		const sheet = sheetOrThrow(ctx, input.line);
		const number = input.number ?? nextNumber(ctx, input.line);
		const newest = line.versions.at(-1);
		const { facts, warnings, duration } = expectationFacts(ctx, input.line, sheet, 0);
		const sound = await soundness(ctx, line, sheet);
		return {
			title: `Build ${input.line} ${number}`,
			effects: { ...noEffects(), bytes: sound.bytes, duration },
			warnings: [
				...warnings,
				...(newest && byVersion(number, newest.number) < 0
					? [{ words: `${number} is older than ${newest.number}, the newest of the line`, side: 'against' as const }]
					: [])
			],
			blocks: [
				...sound.blocks,
				...(takenNumbers(ctx, line).has(number)
					? [{ words: `there is a version ${number} already`, side: 'against' as const }]
					: [])
			],
			reasons: [
				...queueFacts(ctx, input.line),
				...facts,
				...sound.reasons,
				{ words: 'no machine takes the version by itself: it starts held', source: 'follow rules' }
			],
			objects: [`build/${input.line}/${number}`],
			steps: [
				{
					kind: 'image.begin',
					words: 'Start a builder machine',
					input: { line: input.line, number, note: input.note, sheet, from: 0 },
					expected: 8 * SECOND
				},
				...buildSteps(ctx, input.line, number, sheet, 0)
			],
			undo: null,
			undoWords: NO_UNDO
		};
	}
});

const rebuildPlan = planKind({
	kind: 'image.rebuild',
	words: 'Build a version again from its own sheet, so that only the system’s updates are new',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({
		line: lineId,
		from: v.optional(
			v.pipe(
				v.string(),
				v.check((n) => n === 'newest' || isVersion(n), 'Write newest, or a version such as 3.1.4.')
			),
			'newest'
		),
		number: v.optional(versionNumber)
	}),
	async draft(ctx, input): Promise<Draft> {
		const line = lineOrThrow(ctx, input.line);
		const from = input.from === 'newest' ? newestOf(line.versions) : line.versions.find((x) => x.number === input.from);
		if (!from)
			throw new InputProblem([
				{
					field: 'from',
					words:
						input.from === 'newest'
							? `${input.line} has no released version.`
							: `There is no ${input.line} ${input.from}.`
				}
			]);
		const own = sheetOf(ctx.db, input.line, from.number, ctx.clock.now());
		if (!own) throw new InputProblem([{ field: 'line', words: `${input.line} has no build sheet.` }]);
		const sheet = pinnedTo(own, from.contents);
		const number = input.number ?? proposeNumber(from.number, 'updates', takenNumbers(ctx, line));
		const { facts, warnings, duration } = expectationFacts(ctx, input.line, sheet, 0);
		const sound = await soundness(ctx, line, sheet);
		return {
			title: `Rebuild ${input.line} ${from.number} with updates as ${number}`,
			effects: {
				...noEffects(),
				bytes: sound.bytes,
				duration: { middle: duration.middle + 6 * MINUTE, ninety: duration.ninety + 8 * MINUTE }
			},
			warnings: [
				...warnings,
				...(sheet.steps.some((s) => s.kind === 'updates')
					? []
					: [{ words: 'its sheet has no step for system updates: nothing will be new', side: 'against' as const }])
			],
			blocks: [
				...sound.blocks,
				...(takenNumbers(ctx, line).has(number)
					? [{ words: `there is a version ${number} already`, side: 'against' as const }]
					: [])
			],
			reasons: [
				{
					words: `every program stays at the version that ${from.number} has`,
					source: 'contents',
					about: { kind: 'version', id: `${input.line}/${from.number}` }
				},
				...queueFacts(ctx, input.line),
				...facts,
				{ words: 'it starts held, is tried on a machine of its own, and then asks for release', source: 'follow rules' }
			],
			objects: [`build/${input.line}/${number}`],
			steps: [
				{
					kind: 'image.begin',
					words: 'Start a builder machine',
					input: {
						line: input.line,
						number,
						note: `${from.number} with updates`,
						sheet,
						from: 0,
						basedOn: from.number
					},
					expected: 8 * SECOND
				},
				...buildSteps(ctx, input.line, number, sheet, 0),
				{ kind: 'image.trial', words: 'Try it on a machine', input: { line: input.line, number }, expected: 6 * MINUTE }
			],
			undo: null,
			undoWords: NO_UNDO
		};
	}
});

const resumePlan = planKind({
	kind: 'image.resume',
	words: 'Take a failed build up again at the step that failed, with the sheet as it was or as it is now',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({
		build: v.pipe(v.number(), v.integer()),
		sheet: v.optional(v.picklist(['as it was', 'as it is now'], 'Write “as it was” or “as it is now”.'), 'as it was')
	}),
	async draft(ctx, input): Promise<Draft> {
		const build = buildById(ctx.db, input.build);
		if (!build) throw new InputProblem([{ field: 'build', words: `There is no build ${input.build}.` }]);
		const line = lineOrThrow(ctx, build.line);
		const was = fromJson<BuildSheet>('builds.sheet', build.sheet);
		const sheet = input.sheet === 'as it was' ? was : sheetOrThrow(ctx, build.line);
		const common = commonSteps(was, sheet);
		const changed = sheet !== was;
		const { facts, warnings, duration } = expectationFacts(ctx, build.line, sheet, build.doneSteps);
		const step = sheet.steps[build.doneSteps];
		const sound = await soundness(ctx, line, sheet);
		const stoppable = build.state === 'failed' || build.state === 'cancelled';
		return {
			title: `Resume the build of ${build.line} ${build.number}${step ? ` at “${stepWords(step)}”` : ''}${changed ? ', with the changed sheet' : ''}`,
			effects: { ...noEffects(), duration, bytes: sound.bytes },
			warnings,
			blocks: [
				...(stoppable
					? []
					: [{ words: `build ${build.id} is ${build.state}: there is nothing to resume`, side: 'against' as const }]),
				...(common < build.doneSteps
					? [
							{
								words: `step ${common + 1} is done and has been changed since (${stepWords(was.steps[common]!)}): begin a new build instead`,
								side: 'against' as const,
								source: 'build sheet'
							}
						]
					: []),
				...(changed && isDeepStrictEqual(was, sheet)
					? [{ words: 'the sheet is the same as when the build began', side: 'against' as const }]
					: []),
				...sound.blocks
			],
			reasons: [
				{
					words: `${build.doneSteps} of ${sheet.steps.length} steps are done and kept on the builder`,
					source: 'build log',
					about: { kind: 'job', id: String(build.jobId) }
				},
				...queueFacts(ctx, build.line),
				...facts
			],
			objects: [`build/${build.line}/${build.number}`],
			steps: [
				{
					kind: 'image.begin',
					words: 'Take the builder machine up again',
					input: {
						line: build.line,
						number: build.number,
						note: build.note,
						sheet,
						from: build.doneSteps,
						build: build.id
					},
					expected: 8 * SECOND
				},
				...buildSteps(ctx, build.line, build.number, sheet, build.doneSteps)
			],
			undo: null,
			undoWords: NO_UNDO
		};
	}
});

const abandonPlan = planKind({
	kind: 'image.abandon',
	words: 'Give a failed build up and remove its builder machine and staging',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({ build: v.pipe(v.number(), v.integer()) }),
	async draft(ctx, input): Promise<Draft> {
		const build = buildById(ctx.db, input.build);
		if (!build) throw new InputProblem([{ field: 'build', words: `There is no build ${input.build}.` }]);
		return {
			title: `Give up the build of ${build.line} ${build.number}`,
			effects: noEffects(),
			warnings: [],
			blocks:
				build.state === 'failed' || build.state === 'cancelled'
					? []
					: [{ words: `build ${build.id} is ${build.state}: there is nothing to give up`, side: 'against' }],
			reasons: [
				{ words: `${build.doneSteps} steps that are done are thrown away; the log stays`, source: 'build log' }
			],
			objects: [`build/${build.line}/${build.number}`],
			steps: [
				{
					kind: 'image.abandon',
					words: 'Remove the builder machine and its staging',
					input: { line: build.line, build: build.id },
					expected: 15 * SECOND
				}
			],
			undo: null,
			undoWords: 'No: what was built is gone. Build again from the sheet.'
		};
	}
});

/** What a step says beside its kind, within the bounds of a sheet. */
export const stepFields = {
	with: v.optional(anyParams, {}),
	id: v.optional(
		v.pipe(
			v.string(),
			v.maxLength(100, 'At most 100 characters.'),
			v.regex(/^[a-z0-9][a-z0-9-]*$/, 'Small letters, digits and hyphens.')
		)
	),
	after: v.optional(v.pipe(v.array(v.pipe(v.string(), v.maxLength(100))), v.maxLength(SHEET_LIMITS.steps))),
	note: v.optional(v.pipe(v.string(), v.maxLength(SHEET_LIMITS.note, `At most ${SHEET_LIMITS.note} characters.`)))
};

const sheetInput = v.strictObject({
	line: lineId,
	/** The whole sheet as text, in place of the rest. */
	text: v.optional(v.pipe(v.string(), v.maxLength(SHEET_LIMITS.characters, 'The text is too long for a sheet.'))),
	limit: v.optional(v.pipe(v.number('Write a duration.'), v.minValue(60_000, 'The limit is at least a minute.'))),
	builder: v.optional(
		v.strictObject({
			cores: whole(1, 64, 'the cores'),
			memory: v.pipe(v.number('Write a size.'), v.minValue(1, 'The builder needs memory.')),
			disk: v.pipe(v.number('Write a size.'), v.minValue(1, 'The builder needs a disk.')),
			generation: v.optional(v.picklist([1, 2], 'Choose generation 1 or 2.'), 2)
		})
	),
	steps: v.optional(
		v.pipe(
			v.array(
				v.strictObject({
					...stepFields,
					kind: v.pipe(
						v.string(),
						v.check((k) => kindOf(k) !== undefined, 'Choose a kind of step.')
					)
				})
			),
			v.maxLength(SHEET_LIMITS.steps, `At most ${SHEET_LIMITS.steps} steps.`),
			v.minLength(1, 'A sheet has at least one step.')
		)
	)
});

const sheetPlan = planKind({
	kind: 'image.sheet',
	longTexts: ['text', 'steps'],
	words: 'Change the build sheet of an image line, given as steps or as text',
	area: 'images',
	undo: 'back',
	schema: sheetInput,
	async draft(ctx, input): Promise<Draft> {
		const line = lineOrThrow(ctx, input.line);
		const before = sheetOrThrow(ctx, input.line);
		const sheet = readInput(input);
		const problems = checkSheet(sheet, line, await suppliesOf(ctx));
		// What a step is made of has to be right; where it stands, and whether all is there, can be put right later.
		const wrong = problems.filter(
			(p) => p.field !== undefined && p.step >= 0 && p.field !== 'after' && p.field !== 'from'
		);
		if (wrong.length)
			throw new InputProblem(wrong.map((p) => ({ field: `steps.${p.step}.${p.field}`, words: p.fact.words })));
		const then = expectDuration(stepHistories(ctx.db, input.line, sheet));
		const now = expectDuration(stepHistories(ctx.db, input.line, before));
		const better = betterOrder(sheet);
		return {
			title: `Change the build sheet of ${input.line}`,
			effects: noEffects(),
			warnings: problems.map((p) => p.fact),
			blocks: isDeepStrictEqual(before, sheet) ? [{ words: 'nothing in it is different', side: 'against' }] : [],
			reasons: [
				...(better
					? [{ words: `the nearest order that is right moves ${better.words.join(', ')}`, source: 'build sheet' }]
					: []),
				{
					words: `a build is expected to take ${durationWords(then.middle)}, before ${durationWords(now.middle)}`,
					source: 'past runs'
				},
				{ words: 'versions that are built already stay as they are', source: 'build sheet' }
			],
			objects: [`line/${input.line}`],
			steps: [
				{ kind: 'image.write-sheet', words: 'Write the sheet', input: { line: input.line, sheet }, expected: 200 }
			],
			undo: { kind: 'image.sheet', input: { line: input.line, ...before } },
			undoWords: 'Yes: the sheet as it was is put back.'
		};
	}
});

function readInput(input: v.InferOutput<typeof sheetInput>): BuildSheet {
	if (input.text !== undefined) {
		const read = readSheet(input.text);
		if ('problems' in read)
			throw new InputProblem(
				read.problems.map((p) => ({ field: 'text', words: `Line ${p.line}, column ${p.column}: ${p.message}.` }))
			);
		return read.sheet;
	}
	const missing = (['limit', 'builder', 'steps'] as const).filter((key) => input[key] === undefined);
	if (missing.length) throw new InputProblem(missing.map((field) => ({ field, words: `${field} is missing.` })));
	return {
		limit: input.limit!,
		builder: input.builder!,
		steps: input.steps!.map((s) =>
			makeStep(s.kind, s.with, {
				...(s.id !== undefined ? { id: s.id } : {}),
				...(s.after?.length ? { after: s.after } : {}),
				...(s.note ? { note: s.note } : {})
			})
		)
	};
}

export const buildPlans = [buildPlan, rebuildPlan, resumePlan, abandonPlan, sheetPlan];
