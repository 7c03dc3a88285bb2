import { newestOf } from '$lib/core/images/follow';
import * as v from 'valibot';
import { fitsSystem, systemOf, systemWords } from '$lib/core/packages/fits';
import { noEffects } from '$lib/core/plans/effects';
import { MINUTE, SECOND } from '$lib/core/time/units';
import type { Context } from '../context';
import { lineOrThrow } from '../images';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { captureById } from './queries';

/** A setting as it is given to a form: its path with the value's name last. */
const setting = v.strictObject({
	setting: v.pipe(v.string(), v.trim(), v.nonEmpty('Write the path of the key.')),
	name: v.optional(v.string(), ''),
	type: v.optional(v.picklist(['text', 'number', 'list', 'bytes'], 'Choose text, number, list or bytes.'), 'text'),
	value: v.string()
});

/** What each part of a capture usually takes, ms: in the lab and elsewhere alike, reading a whole disk is most of it. */
const TAKES = {
	prepare: 95 * SECOND,
	look: 75 * SECOND,
	install: 3 * MINUTE + 50 * SECOND,
	set: 6 * SECOND,
	compare: 10 * SECOND,
	dispose: 8 * SECOND
};

const capturePlan = planKind({
	kind: 'package.capture',
	words: 'Capture an app: inventories before and after its installer on a machine of its own, and what differs sorted',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({
		name: v.pipe(
			v.string(),
			v.trim(),
			v.nonEmpty('Give the capture a name.'),
			v.maxLength(80, 'At most 80 characters.')
		),
		line: v.pipe(v.string(), v.nonEmpty('Choose an image line.')),
		/** The newest released version where nothing is said. */
		number: v.optional(v.string()),
		installer: v.pipe(v.string(), v.nonEmpty('Choose an installer.')),
		/** Two inventories are taken first without installing anything: what differs between them is noise. */
		idle: v.optional(v.boolean(), true),
		/** Set in the app once it is installed: they go along as defaults. */
		settings: v.optional(v.array(setting), [])
	}),
	async draft(ctx, input): Promise<Draft> {
		const line = lineOrThrow(ctx, input.line);
		const version =
			input.number === undefined ? newestOf(line.versions) : line.versions.find((x) => x.number === input.number);
		if (!version)
			throw new InputProblem([
				{
					field: 'number',
					words:
						input.number === undefined
							? `${input.line} has no released version.`
							: `There is no ${input.line} ${input.number}.`
				}
			]);
		const offers = await ctx.providers.installer.offers();
		const installer = offers.find((o) => o.id === input.installer);
		if (!installer)
			throw new InputProblem([{ field: 'installer', words: `There is no installer called ${input.installer}.` }]);
		const system = systemOf(line.system, line.users);
		const fits = fitsSystem(installer.system, [], system);
		const already = version.contents.find((c) => c.name.toLowerCase() === installer.name.toLowerCase());
		const begin = { name: input.name, line: input.line, number: version.number, installer: input.installer };
		const steps = [
			stepOf('capture.prepare', `Make a machine from ${input.line} ${version.number}`, begin, TAKES.prepare),
			...(input.idle
				? [
						stepOf('capture.look', 'Take an inventory, with nothing installed', { ...begin, as: 'idle-1' }, TAKES.look),
						stepOf('capture.look', 'Take another one: what differs is noise', { ...begin, as: 'idle-2' }, TAKES.look)
					]
				: []),
			stepOf('capture.look', 'Take the inventory before', { ...begin, as: 'before' }, TAKES.look),
			stepOf('capture.install', `Install ${installer.name} ${installer.version}`, begin, TAKES.install),
			...(input.settings.length
				? [
						stepOf(
							'capture.set',
							`Set ${input.settings.length} values in it`,
							{ ...begin, settings: input.settings },
							TAKES.set
						)
					]
				: []),
			stepOf('capture.look', 'Take the inventory after', { ...begin, as: 'after' }, TAKES.look),
			stepOf('capture.compare', 'Compare, sort, and fetch what is new', begin, TAKES.compare),
			stepOf('capture.dispose', 'Throw the machine away', begin, TAKES.dispose)
		];
		const takes = steps.reduce((n, s) => n + s.expected, 0);
		return {
			title: `Capture ${installer.name} ${installer.version} on ${input.line} ${version.number}`,
			effects: { ...noEffects(), duration: { middle: takes, ninety: takes * 1.4 } },
			warnings: [
				...(already
					? [
							{
								words: `the image holds ${already.name} ${already.version} already: what both have is no difference, and will be missing from the capture`,
								side: 'against' as const,
								source: 'contents'
							}
						]
					: []),
				...(fits.value
					? []
					: [
							{
								words: `the installer is for ${systemWords(installer.system)}, the machine of ${systemWords(system)}`,
								side: 'against' as const
							}
						]),
				...(input.idle
					? []
					: [
							{
								words:
									'noise is known by rules alone: without two inventories of the idle machine more will be doubtful',
								side: 'against' as const
							}
						])
			],
			blocks: [],
			reasons: [
				{ words: `the package will fit ${systemWords(system)}, which it is captured on`, source: 'image line' },
				{ words: 'the machine belongs to no pool and is thrown away afterwards; nobody notices', source: 'plan' },
				...(input.settings.length
					? [{ words: `${input.settings.length} values are set in the app and go along as defaults`, source: 'plan' }]
					: [])
			],
			objects: [`capture/${input.name}`],
			steps,
			undo: null,
			undoWords: 'Not needed: a capture changes nothing; it can be thrown away.'
		};
	}
});

const discardPlan = planKind({
	kind: 'capture.discard',
	words: 'Throw a capture away, with its inventories and the files that it holds',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({ capture: v.pipe(v.number(), v.integer()) }),
	async draft(ctx, input): Promise<Draft> {
		const capture = captureOrThrow(ctx, input.capture);
		return {
			title: `Throw the capture ${capture.name} away`,
			effects: noEffects(),
			warnings: [],
			blocks: [
				...(capture.state === 'thrown away' ? [{ words: 'it has been thrown away', side: 'against' as const }] : []),
				...(capture.state === 'taking' && capture.job === 'running'
					? [
							{
								words: `job ${capture.jobId!} is still taking it`,
								side: 'against' as const,
								about: { kind: 'job', id: String(capture.jobId) }
							}
						]
					: [])
			],
			reasons:
				capture.outcome === null
					? []
					: [{ words: `the package ${capture.outcome} that was made of it stays`, source: 'packages' }],
			objects: [`capture/${input.capture}`],
			steps: [{ kind: 'capture.discard', words: 'Remove its files', input, expected: 500 }],
			undo: null,
			undoWords: 'No: it would have to be captured again.'
		};
	}
});

export function captureOrThrow(ctx: Context, id: number) {
	const capture = captureById(ctx.db, id);
	if (!capture) throw new InputProblem([{ field: 'capture', words: `There is no capture ${id}.` }]);
	return capture;
}

export const capturePlans = [capturePlan, discardPlan];
