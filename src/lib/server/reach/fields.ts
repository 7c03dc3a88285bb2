import * as v from 'valibot';
import type { Fact } from '$lib/core/why/explained';
import { InputProblem } from '../plans/kind';

/** Fields and words that the plans of this area share. */

export const fact = (words: string, side?: Fact['side']): Fact => ({
	words,
	...(side ? { side } : {}),
	source: 'access rules'
});
export const problem = (field: string, words: string): InputProblem => new InputProblem([{ field, words }]);
/** What a plan says one by one. */
export const SAID = 12;
export const text = (words: string, most = 100) =>
	v.pipe(v.string(words), v.trim(), v.nonEmpty(words), v.maxLength(most, `At most ${most} characters.`));
export const id = (words: string) => text(words, 80);
