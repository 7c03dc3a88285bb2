import type { Clock } from '../context';
import type { Db } from '../db';
import { lookOf, type Look } from '../moment';
import { InputProblem } from '../plans/kind';

/** What a caller looks at, and when. Throws InputProblem where scope or moment cannot be read: a program is not to guess. */
export function askedOf(url: URL, ctx: { clock: Clock; db: Db }): Look {
	const look = lookOf(url, ctx);
	if (look.problems.length)
		throw new InputProblem(look.problems.map((p) => ({ field: p.field ?? 'scope', words: p.words })));
	return look;
}
