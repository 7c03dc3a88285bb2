import type { Effects } from '$lib/core/plans/effects';
import type { Fact } from '$lib/core/why/explained';

/** A plan as the API gives it. */
export interface Plan {
	id: number;
	kind: string;
	input: unknown;
	title: string;
	effects: Effects;
	warnings: Fact[];
	blocks: Fact[];
	reasons: Fact[];
	steps: { kind: string; words: string; expected: number }[];
	undo: { kind: string; input: unknown } | null;
	undoWords: string;
	state: 'draft' | 'committed' | 'discarded';
	refused: Fact[] | null;
	by: string;
	at: number;
	jobId: number | null;
	/** Where it waits for the consent of another. */
	asked: { id: number; by: string; at: number; notBefore: number | null; why: Fact[] } | null;
}

export interface Refusal {
	title: string;
	detail: string;
	/** What to do about it. */
	advice: string;
	errors: { field: string; words: string }[];
	reasons: Fact[];
}

/** What is said of a refusal where there is one place for all of it: what is so, and what to do. */
export const refusalWords = ({ detail, advice }: Pick<Refusal, 'detail' | 'advice'>): string =>
	advice === '' || detail.includes(advice) ? detail : `${detail.replace(/[^.!?”]$/, '$&.')} ${advice}`;

/** Calls the API from the page: the answer, or why not. */
export async function call<T>(
	method: string,
	path: string,
	body?: unknown,
	signal?: AbortSignal
): Promise<{ ok: true; value: T } | { ok: false; refusal: Refusal }> {
	try {
		const response = await fetch(`/api/v1${path}`, {
			method,
			headers: { 'content-type': 'application/json' },
			...(signal ? { signal } : {}),
			...(body === undefined ? {} : { body: JSON.stringify(body) })
		});
		if (response.ok)
			return {
				ok: true,
				value: (response.status === 204 || response.headers.get('content-length') === '0'
					? null
					: await response.json().catch(() => null)) as T
			};
		const problem = (await response.json().catch(() => ({}))) as Partial<Refusal>;
		return {
			ok: false,
			refusal: {
				title: problem.title ?? 'It did not work',
				detail: problem.detail ?? 'The server gave no reason.',
				advice: problem.advice ?? '',
				errors: problem.errors ?? [],
				reasons: problem.reasons ?? []
			}
		};
	} catch {
		return {
			ok: false,
			refusal: {
				title: 'The server does not answer',
				detail: 'Nothing was changed.',
				advice: 'Check the connection, then try again.',
				errors: [],
				reasons: []
			}
		};
	}
}
