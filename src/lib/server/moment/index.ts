import { EVERYTHING, parseScope, type Scope, type ScopeProblem } from '$lib/core/scope/scope';
import type { Clock } from '../context';

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

/**
 * Reads scope and moment from a URL: `scope=` as typed, `at=` as an ISO moment or ms. Without `at`, the present,
 * live. A moment that cannot be read is treated as live and said among the problems.
 */
export function lookOf(url: URL, clock: Clock): Look {
	const now = clock.now();
	const text = url.searchParams.get('scope') ?? '';
	const { scope, problems } = text ? parseScope(text) : { scope: EVERYTHING, problems: [] };
	const wanted = url.searchParams.get('at');
	const at = wanted === null ? now : /^\d+$/.test(wanted) ? Number(wanted) : Date.parse(wanted);
	if (Number.isNaN(at))
		return {
			scope,
			scopeText: text,
			problems: [...problems, { at: 0, field: 'at', words: `“${wanted}” is not a moment: write 2026-11-17T14:05Z.` }],
			at: now,
			live: true,
			future: false,
			now
		};
	return { scope, scopeText: text, problems, at, live: wanted === null, future: at > now, now };
}

/** Answers a view about the present even when the moment lies ahead, for views that have no forecast. */
export const asKnown = (look: Look): number => Math.min(look.at, look.now);
