import * as v from 'valibot';
import type { Fact } from '$lib/core/why/explained';
import { InputProblem, stepOf } from '../plans/kind';

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
/** A file that is brought, with what goes with it, is no longer than what any plan may be sent. */
export const LONGEST_TEXT = 500_000;
export const TOO_LONG = 'At most 500 KB: bring it in parts.';

/** The step by which all that stands at a door hears of what was written. */
export const tellGateways = () => stepOf('access-rules.tell', 'Tell gateways and endpoints', {}, 300);
