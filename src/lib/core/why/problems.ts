/** What is said of an error: the status of an answer that carries it, what happened, what is safe, and what to do. */
export interface ProblemWords {
	/** HTTP status (RFC 9110). */
	status: number;
	title: string;
	safe: string;
	advice: string;
}

const NOTHING_CHANGED = 'Nothing was changed.';

/**
 * Every error that people can meet, on a screen, from the API, or as the end of a job. The code is the last part of a problem document's
 * `type` (RFC 9457); what is so about the one at hand stands in its `detail`.
 */
export const PROBLEMS = {
	input: {
		status: 422,
		title: 'The input is not right',
		safe: 'Nothing was changed, and what was typed is kept.',
		advice: 'Put right what stands beside each field, then send it again.'
	},
	'broken-file': {
		status: 422,
		title: 'The file cannot be used',
		safe: 'Nothing of it was kept.',
		advice: 'Make the file anew where it comes from, or choose another.'
	},
	'factor-first': {
		status: 403,
		title: 'A second factor comes first',
		safe: NOTHING_CHANGED,
		advice: 'This role asks for a second factor. Set one up under Settings, or sign in with it, then try again.'
	},
	refused: {
		status: 409,
		title: 'The plan no longer holds',
		safe: NOTHING_CHANGED,
		advice: 'Recompute the plan, look at what has become different, and commit it again.'
	},
	'provider-refused': {
		status: 502,
		title: 'What lies outside said no',
		safe: 'What was done before it stays, and stands in the log.',
		advice: 'Put right what it names, then begin again.'
	},
	'provider-failed': {
		status: 502,
		title: 'What lies outside did not carry it out',
		safe: 'What was done before it stays, and stands in the log.',
		advice: 'Try again: the same may work later.'
	},
	'step-failed': {
		status: 502,
		title: 'It did not come about',
		safe: 'What was done before it stays, and stands in the log.',
		advice: 'The log says how far it came; begin again from there.'
	},
	cancelled: {
		status: 409,
		title: 'It was cancelled',
		safe: 'What was done before it stays, and stands in the log.',
		advice: 'Begin it again when it is wanted after all.'
	},
	'set-aside': {
		status: 500,
		title: 'It was set aside',
		safe: 'Everything else goes on. What was done until then stands in its log.',
		advice: 'Look at the log of the server, then begin it again.'
	},
	'not-allowed': {
		status: 403,
		title: 'Your role does not reach that far',
		safe: NOTHING_CHANGED,
		advice: 'Ask somebody whose role does.'
	},
	'sign-in': {
		status: 401,
		title: 'Sign in first',
		safe: NOTHING_CHANGED,
		advice: 'Send a token as “Authorization: Bearer …”, or sign in on the screen.'
	},
	origin: {
		status: 403,
		title: 'The request comes from another site',
		safe: NOTHING_CHANGED,
		advice: 'Send it from Sextant’s own pages, or with a token.'
	},
	'not-found': {
		status: 404,
		title: 'It is not there',
		safe: NOTHING_CHANGED,
		advice: 'Look at the list that it was in: it may have another name, or have ended.'
	},
	method: {
		status: 405,
		title: 'This is not done here',
		safe: NOTHING_CHANGED,
		advice: 'There is something at the address, but not by this method: see the API’s description.'
	},
	json: {
		status: 400,
		title: 'The body is not JSON',
		safe: NOTHING_CHANGED,
		advice: 'Send JSON in UTF-8.'
	},
	odd: {
		status: 400,
		title: 'This cannot be asked',
		safe: NOTHING_CHANGED,
		advice: 'Take out of the address or the headers what none may hold.'
	},
	'too-large': {
		status: 413,
		title: 'The body is too large',
		safe: NOTHING_CHANGED,
		advice: 'Send less at once, with its length first.'
	},
	many: {
		status: 429,
		title: 'Too much is asked for at once',
		safe: NOTHING_CHANGED,
		advice: 'Wait until some of what you have asked for has been answered, then ask again.'
	},
	streams: {
		status: 429,
		title: 'Too many live streams are open',
		safe: NOTHING_CHANGED,
		advice: 'Close some of your pages, then try again.'
	},
	away: {
		status: 503,
		title: 'A part of Sextant is being started anew',
		safe: NOTHING_CHANGED,
		advice: 'Try again in a moment.'
	},
	'too-long': {
		status: 503,
		title: 'This takes too long to work out',
		safe: NOTHING_CHANGED,
		advice: 'Ask for less at once: a shorter scope, or fewer things.'
	},
	'disk-full': {
		status: 507,
		title: 'The disk is full',
		safe: 'Nothing was changed, and everything can be read.',
		advice: 'Make room on the disk of the data folder, and try again.'
	},
	fault: {
		status: 500,
		title: 'Something went wrong on our side',
		safe: NOTHING_CHANGED,
		advice: 'The server’s log has the details, under the number of the request.'
	}
} as const satisfies Record<string, ProblemWords>;

export type ProblemCode = keyof typeof PROBLEMS;

/** Whether a text is a code of the catalogue. */
export const isProblemCode = (text: unknown): text is ProblemCode =>
	typeof text === 'string' && Object.hasOwn(PROBLEMS, text);
