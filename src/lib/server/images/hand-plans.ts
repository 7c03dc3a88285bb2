import * as v from 'valibot';
import { proposeNumber } from '$lib/core/images/versions';
import { noEffects } from '$lib/core/plans/effects';
import { durationWords, MINUTE, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { lineId, lineOrThrow, noteText, takenNumbers, versionNumber } from './build-plans';
import { linesTyped, openingOf } from './queries';
import { versionOrThrow } from './version-plans';

const openPlan = planKind({
	kind: 'image.open',
	words: 'Open a version on its reference machine, for work by hand',
	area: 'images',
	undo: 'back',
	schema: v.strictObject({ line: lineId, number: v.string() }),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const version = versionOrThrow(ctx, input.line, input.number);
		const other = openingOf(ctx.db, input.line, now);
		return {
			title: `Open ${input.line} ${input.number} for work by hand`,
			effects: { ...noEffects(), duration: { middle: 95 * SECOND, ninety: 130 * SECOND } },
			warnings: version.machines
				? [
						{
							words: `while it is open no machine is made from it or moved to it; ${version.machines} are on it and stay`,
							side: 'against'
						}
					]
				: [],
			blocks: [
				...(other
					? [
							{
								words: `${other.by} has ${other.line} ${other.number} open since ${durationWords(now - other.since)} ago: a line has one editor at a time`,
								side: 'against' as const
							}
						]
					: []),
				...(version.retired ? [{ words: 'it is retired', side: 'against' as const }] : [])
			],
			reasons: [
				{
					words: `the reference machine is made from ${input.number}; nobody else can sign in to it`,
					source: 'image store'
				}
			],
			objects: [`line/${input.line}`, `version/${input.line}/${input.number}`],
			steps: [{ kind: 'image.open', words: 'Start the reference machine', input, expected: 95 * SECOND }],
			undo: { kind: 'image.throw-away', input: { line: input.line } },
			undoWords: 'Yes: the reference machine is thrown away, and the version is as it was.'
		};
	}
});

const closePlan = planKind({
	kind: 'image.close',
	words: 'Close the open version as a new version, with a note',
	area: 'images',
	undo: 'back',
	schema: v.strictObject({
		line: lineId,
		number: v.optional(versionNumber),
		note: v.pipe(noteText, v.nonEmpty('Say in a note what was done.'))
	}),
	async draft(ctx, input): Promise<Draft> {
		const line = lineOrThrow(ctx, input.line);
		const open = openingOf(ctx.db, input.line, ctx.clock.now());
		if (!open) throw new InputProblem([{ field: 'line', words: `No version of ${input.line} is open.` }]);
		const taken = takenNumbers(ctx, line);
		const number = input.number ?? proposeNumber(open.number, 'updates', taken);
		const typed = linesTyped(ctx.db, open.id);
		return {
			title: `Close ${input.line} ${open.number} as ${number}`,
			effects: { ...noEffects(), duration: { middle: 14 * MINUTE, ninety: 18 * MINUTE } },
			warnings:
				typed.length === 0
					? [{ words: 'nothing was typed at its console: the new version will be like the old one', side: 'against' }]
					: [],
			blocks: taken.has(number) ? [{ words: `there is a version ${number} already`, side: 'against' }] : [],
			reasons: [
				...typed.slice(-8).map((t): Fact => ({ words: `${t.by} typed “${t.typed}”`, at: t.at, source: 'console' })),
				{ words: 'the new version starts held; its change stands in the log of this job', source: 'follow rules' }
			],
			objects: [`line/${input.line}`, `version/${input.line}/${open.number}`],
			steps: [
				{
					kind: 'image.close',
					words: `Seal the reference machine and keep it as ${number}`,
					input: { line: input.line, number, note: input.note, opening: open.id },
					expected: 14 * MINUTE
				},
				{
					kind: 'image.hand-out',
					words: 'Hand it out where a thick link leads',
					input: { line: input.line, number },
					expected: 6 * MINUTE
				}
			],
			undo: { kind: 'image.delete', input: { line: input.line, number } },
			undoWords: 'Yes, as long as nothing needs it: the new version is deleted. What was done by hand is then gone.'
		};
	}
});

const throwAwayPlan = planKind({
	kind: 'image.throw-away',
	words: 'Throw away what was done by hand on the reference machine',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({ line: lineId }),
	async draft(ctx, input): Promise<Draft> {
		const open = openingOf(ctx.db, input.line, ctx.clock.now());
		if (!open) throw new InputProblem([{ field: 'line', words: `No version of ${input.line} is open.` }]);
		const typed = linesTyped(ctx.db, open.id);
		return {
			title: `Throw away what was done on ${input.line} ${open.number}`,
			effects: { ...noEffects(), duration: { middle: 12 * SECOND, ninety: 20 * SECOND } },
			warnings: typed.length
				? [{ words: `${open.by} has typed ${typed.length} lines there; all of that is lost`, side: 'against' }]
				: [],
			blocks: [],
			reasons: [{ words: `${open.number} stays as it was`, source: 'image store' }],
			objects: [`line/${input.line}`, `version/${input.line}/${open.number}`],
			steps: [
				{
					kind: 'image.throw-away',
					words: 'Remove the reference machine',
					input: { line: input.line, opening: open.id },
					expected: 12 * SECOND
				}
			],
			undo: null,
			undoWords: 'No: open the version again and do the work anew.'
		};
	}
});

export const handPlans = [openPlan, closePlan, throwAwayPlan];
