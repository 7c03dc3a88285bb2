import { PROBLEMS, type ProblemCode } from '$lib/core/why/problems';
import { logOf } from '../log';
import { InputProblem } from '../plans/kind';
import { PlanRefused } from '../plans';
import { problemCodeOf } from '../providers/failures';
import { isStorage } from '../db/storage';

const log = logOf('api');

/** A problem document (RFC 9457). `errors` names fields, `reasons` the facts of a refusal; `safe` and `advice` are of the catalogue. */
export interface Problem {
	type: string;
	title: string;
	status: number;
	detail: string;
	safe: string;
	advice: string;
	errors?: { field: string; words: string }[];
	reasons?: { words: string }[];
}

/** A problem of the catalogue. `detail`: what is so about this one; what is safe and what to do, where nothing more is to be said. */
export function problem(code: ProblemCode, detail?: string, more: Partial<Problem> = {}): Problem {
	const { status, title, safe, advice } = PROBLEMS[code];
	return {
		type: `/api/v1/problems/${code}`,
		title,
		status,
		detail: detail ?? `${safe} ${advice}`,
		safe,
		advice,
		...more
	};
}

/** The problem of an error that a caller can meet. Null for one that nobody foresaw. */
export function problemOf(e: unknown): Problem | null {
	if (isStorage(e)) return problem('disk-full');
	if (e instanceof SyntaxError) return problem('json', e.message);
	const code = problemCodeOf(e);
	if (code === null) return null;
	const { message } = e as Error;
	return problem(code, message, {
		...(e instanceof InputProblem ? { errors: e.problems } : {}),
		...(code === 'broken-file' ? { errors: [{ field: 'file', words: message }] } : {}),
		...(e instanceof PlanRefused ? { reasons: e.facts } : {})
	});
}

/** An answer took more than `longest` ms. */
export const problemLong = (longest: number): Problem =>
	problem(
		'too-long',
		`It was ended after ${Math.round(longest / 1000)} s, and nothing was changed. ${PROBLEMS['too-long'].advice}`
	);

export const roleTooSmall = (role: string): Problem => problem('not-allowed', `As ${role} you may not do this.`);

/** The problem as a response. */
export const problemResponse = (p: Problem, headers: Record<string, string> = {}): Response =>
	new Response(JSON.stringify(p), {
		status: p.status,
		headers: { ...headers, 'content-type': 'application/problem+json' }
	});

/** Runs an API handler; what it throws becomes a problem document. What nobody foresaw is logged under the number of the request. */
export async function answer(work: () => Promise<Response> | Response, number = ''): Promise<Response> {
	try {
		return await work();
	} catch (e) {
		const p = problemOf(e);
		if (p) return problemResponse(p);
		log.error({ request: number, err: e }, 'a request met what nobody foresaw');
		return problemResponse(
			problem(
				'fault',
				`Nothing was changed. The server’s log has the details${number ? `, under request ${number}` : ''}.`
			)
		);
	}
}
