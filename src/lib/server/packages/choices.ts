import * as v from 'valibot';
import { wrongWithPattern } from '$lib/core/packages/pattern';
import { SPEC_LIMITS } from '$lib/core/packages/spec-schema';
import type { Choice } from '$lib/core/packages/tree';
import type { Context } from '../context';
import { run } from '../db';
import { NotFound } from '../plans';
import { InputProblem } from '../plans/kind';
import type { CaptureResult } from '../packing/packer';
import { captureById, type CaptureRow } from './queries';

const PATTERNS_MOST = 100;

/** What somebody decided, in the order in which they did. */
export const choicesBody = v.strictObject({
	choices: v.pipe(
		v.array(
			v.union(
				[
					v.strictObject({ branch: v.pipe(v.string(), v.maxLength(SPEC_LIMITS.path)), take: v.boolean() }),
					v.strictObject({
						pattern: v.pipe(
							v.string(),
							v.trim(),
							v.rawCheck(({ dataset, addIssue }) => {
								const wrong = dataset.typed ? wrongWithPattern(dataset.value) : null;
								if (wrong) addIssue({ message: wrong });
							})
						),
						take: v.boolean()
					})
				],
				'Each names a branch or a pattern, and whether it is taken.'
			)
		),
		v.maxLength(2000, 'At most 2,000 choices.'),
		// Each pattern is tried on every change.
		v.check((list) => list.filter((c) => 'pattern' in c).length <= PATTERNS_MOST, `At most ${PATTERNS_MOST} patterns.`)
	)
});

export function captureOrGone(ctx: Context, id: number): CaptureRow {
	const capture = captureById(ctx.db, id);
	if (!capture) throw new NotFound(`capture ${id}`);
	return capture;
}

/** A capture that has been compared, with what it comes to by the choices that were made. */
export async function sortedCapture(ctx: Context, id: number): Promise<CaptureRow & { result: CaptureResult | null }> {
	const capture = captureOrGone(ctx, id);
	const whole = capture.state === 'sorted' || capture.state === 'packaged';
	return { ...capture, result: whole ? await ctx.packer.captures.result(id, capture.choices) : null };
}

/**
 * Keeps what somebody decided. A choice of a branch replaces earlier ones of the same branch and of those below it, so that the
 * list does not grow with every press.
 */
export async function saveChoices(ctx: Context, id: number, given: readonly Choice[]): Promise<CaptureResult> {
	const capture = captureOrGone(ctx, id);
	if (capture.state !== 'sorted' && capture.state !== 'packaged')
		throw new InputProblem([
			{ field: 'choices', words: `The capture is ${capture.state}: there is nothing to choose from.` }
		]);
	const choices: Choice[] = [];
	for (const c of given) {
		if ('branch' in c)
			for (let i = choices.length - 1; i >= 0; i--) {
				const old = choices[i]!;
				if ('branch' in old && (c.branch === '' || old.branch === c.branch || old.branch.startsWith(`${c.branch}/`)))
					choices.splice(i, 1);
			}
		else
			for (let i = choices.length - 1; i >= 0; i--) {
				const old = choices[i]!;
				if ('pattern' in old && old.pattern === c.pattern) choices.splice(i, 1);
			}
		choices.push(c);
	}
	const result = await ctx.packer.captures.result(id, choices);
	run(ctx.db, 'UPDATE captures SET choices = ? WHERE id = ?', [JSON.stringify(choices), id]);
	return result;
}
