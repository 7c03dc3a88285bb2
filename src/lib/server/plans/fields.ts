import * as v from 'valibot';
import { InputProblem } from './kind';
import { durationWords } from '$lib/core/time/units';

/** Fields that many plans have: numbers and durations, with words for what is wrong with them. */

/** A whole number; `what` as in “Write the cores as a number.” */
export const whole = (least: number, most: number, what: string) =>
	v.pipe(
		v.number(`Write ${what} as a number.`),
		v.integer(`Write ${what} as a whole number.`),
		v.minValue(least, `At least ${least}.`),
		v.maxValue(most, `At most ${most}.`)
	);

/** A share in percent. */
export const percent = (least: number, most = 100) =>
	v.pipe(
		v.number('Write a share in percent.'),
		v.minValue(least, `At least ${least} %.`),
		v.maxValue(most, `At most ${most} %.`)
	);

/** A duration in ms, from nothing to `most`. */
export const lasting = (most: number) =>
	v.pipe(
		v.number('Write a duration.'),
		v.minValue(0, 'Not less than nothing.'),
		v.maxValue(most, `At most ${durationWords(most)}.`)
	);

/** A whole order from the part of it that was given: what it leaves out follows as it stood. Throws where a name is strange or stands twice. */
export function wholeOrder(given: readonly string[], names: readonly string[], what: string): string[] {
	const strange = given.find((n) => !names.includes(n));
	if (strange !== undefined)
		throw new InputProblem([{ field: 'order', words: `There is no ${what} called ${strange}.` }]);
	if (new Set(given).size !== given.length)
		throw new InputProblem([{ field: 'order', words: `A ${what} stands twice.` }]);
	return [...given, ...names.filter((n) => !given.includes(n))];
}
