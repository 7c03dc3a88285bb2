import { logOf } from '../log';
import { InputProblem } from '../plans/kind';
import { NotAllowed, NotFound, PlanRefused } from '../plans';
import { ProviderError } from '../providers';
import { ThreadLost } from '../providers/remote';
import { isStorage, STORAGE_WORDS } from '../db/storage';

const log = logOf('api');

/** A problem document (RFC 9457). `errors` names fields, `reasons` the facts of a refusal. */
export interface Problem {
	type: string;
	title: string;
	status: number;
	detail: string;
	errors?: { field: string; words: string }[];
	reasons?: { words: string }[];
}

const problem = (
	status: number,
	type: string,
	title: string,
	detail: string,
	more: Partial<Problem> = {}
): Problem => ({ type: `/problems/${type}`, title, status, detail, ...more });

/** Every error that a caller can meet, in one place. Null for one that nobody foresaw. */
export function problemOf(e: unknown): Problem | null {
	if (e instanceof InputProblem)
		return problem(422, 'input', 'The input is not right', e.message, { errors: e.problems });
	if (e instanceof PlanRefused)
		return problem(409, 'refused', 'The plan no longer holds', e.message, { reasons: e.facts });
	if (e instanceof NotAllowed) return problem(403, 'not-allowed', 'Your role does not reach that far', e.message);
	if (e instanceof NotFound) return problem(404, 'not-found', 'It is not there', e.message);
	if (e instanceof ProviderError) return problem(502, 'provider', 'The provider said no', e.message);
	if (e instanceof ThreadLost) return { ...problemAway, detail: `${e.message}. Try again in a moment.` };
	if (isStorage(e)) return diskFull;
	if (e instanceof SyntaxError) return problem(400, 'json', 'The body is not JSON', e.message);
	return null;
}

export const problemAway = problem(
	503,
	'away',
	'A part of Sextant is being started anew',
	'Nothing was changed. Try again in a moment.'
);
/** An answer took more than `longest` ms. */
export const problemLong = (longest: number): Problem =>
	problem(
		503,
		'too-long',
		'This takes too long to work out',
		`It was ended after ${Math.round(longest / 1000)} s, and nothing was changed. Ask for less at once: a shorter scope, or fewer things.`
	);
export const problemOdd = problem(
	400,
	'odd',
	'This cannot be asked',
	'The address or a header of the request holds something that none may hold.'
);
export const problemMethod = problem(
	405,
	'method',
	'This is not done here',
	'There is something at the address, but not by this method.'
);
export const problemMany = problem(
	429,
	'many',
	'Too much is asked for at once',
	'Wait until some of what you have asked for has been answered, then ask again.'
);
export const notSignedIn = problem(
	401,
	'sign-in',
	'Sign in first',
	'Send a token as “Authorization: Bearer …”, or sign in on the screen.'
);
export const roleTooSmall = (role: string): Problem =>
	problem(403, 'not-allowed', 'Your role does not reach that far', `As ${role} you may not do this.`);
export const tooLarge = problem(
	413,
	'too-large',
	'The body is too large',
	'A body holds at most 512 KB, and says its length first.'
);
export const tooManyStreams = problem(
	429,
	'streams',
	'Too many live streams are open',
	'Close some of your pages, then try again.'
);
export const diskFull = problem(507, 'disk-full', STORAGE_WORDS.title, STORAGE_WORDS.detail);
export const strangeOrigin = problem(
	403,
	'origin',
	'The request comes from another site',
	'Requests that change something are taken from Sextant’s own pages only, or with a token.'
);

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
				500,
				'fault',
				'Something went wrong on our side',
				`Nothing was changed. The server’s log has the details${number ? `, under request ${number}` : ''}.`
			)
		);
	}
}
