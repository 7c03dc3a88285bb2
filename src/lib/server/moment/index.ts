import { EVERYTHING, parseScope, type Scope, type ScopeProblem } from '$lib/core/scope/scope';
import { DAY } from '$lib/core/time/units';
import type { Clock } from '../context';
import type { Db } from '../db';
import { knownScope } from './names';

/** What a view looks at, and when. */
export interface Look {
	scope: Scope;
	scopeText: string;
	/** What of it cannot be read; `field` where it is not the scope. */
	problems: (ScopeProblem & { field?: 'at' })[];
	/** Ms UTC. */
	at: number;
	/** Whether `at` moves with the clock. */
	live: boolean;
	/** Whether `at` lies ahead of the clock. */
	future: boolean;
	now: number;
}

/** Nothing is known of before, and nothing can be foreseen beyond: moments outside are none. */
const FIRST = Date.UTC(2000, 0, 1);
const LATEST = 3 * 366 * DAY;

/** A moment as it is written: ms, or ISO 8601; null when it is none. */
function momentIn(text: string): number | null {
	const at = /^\d{1,16}$/.test(text)
		? Number(text)
		: /^\d{4}-\d{2}-\d{2}(T|$)/.test(text) && text.length <= 40
			? Date.parse(text)
			: Number.NaN;
	return Number.isSafeInteger(at) ? at : null;
}

/**
 * Reads scope and moment from a URL: `scope=` as typed, `at=` as an ISO moment or ms. Without `at`, the present,
 * live. A moment that cannot be read is treated as live and said among the problems.
 */
export function lookOf(url: URL, { clock, db }: { clock: Clock; db: Db }): Look {
	const now = clock.shown?.() ?? clock.now();
	const text = url.searchParams.get('scope') ?? '';
	const typed = text ? parseScope(text) : { scope: EVERYTHING, problems: [] };
	const known = knownScope(db, typed.scope);
	const { scope } = known;
	const problems = [...typed.problems, ...known.problems];
	const wanted = url.searchParams.get('at');
	const at = wanted === null ? now : momentIn(wanted);
	if (at === null || at < FIRST || at > now + LATEST)
		return {
			scope,
			scopeText: text,
			problems: [
				...problems,
				{
					at: 0,
					field: 'at',
					words: `“${wanted?.slice(0, 60)}” is not a moment within reach: write 2026-11-17T14:05Z.`
				}
			],
			at: now,
			live: true,
			future: false,
			now
		};
	return { scope, scopeText: text, problems, at, live: wanted === null, future: at > now, now };
}

/** Answers a view about the present even when the moment lies ahead, for views that have no forecast. */
export const asKnown = (look: Look): number => Math.min(look.at, look.now);
