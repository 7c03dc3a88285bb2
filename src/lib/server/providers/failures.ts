import { isProblemCode, type ProblemCode } from '$lib/core/why/problems';

/** Names of the classes below: each is known by its name, since the serving process and the routes are bundled apart. */
const FAILURES: ReadonlySet<string> = new Set(['ProviderError', 'StepFailed', 'BrokenFile']);

/** What was asked for did not come about, for a reason that can be shown. It ends the item or the job that asked, and nothing beside it. */
export abstract class Failure extends Error {
	abstract readonly problem: ProblemCode;

	constructor(
		message: string,
		/** Whether the same call may work later. */
		readonly retry: boolean
	) {
		super(message);
	}

	static override [Symbol.hasInstance](e: unknown): boolean {
		return e instanceof Error && (this === Failure ? FAILURES.has(e.name) : e.name === this.name);
	}
}

/** A provider said no, and why, in words that can be shown. */
export class ProviderError extends Failure {
	readonly problem: ProblemCode;

	constructor(message: string, retry = true) {
		super(message, retry);
		this.name = 'ProviderError';
		this.problem = retry ? 'provider-failed' : 'provider-refused';
	}
}

/** Nobody said no, and yet what a step was to bring about is not there: a limit was reached, a machine did not come up. */
export class StepFailed extends Failure {
	readonly problem = 'step-failed';

	constructor(message: string) {
		super(message, false);
		this.name = 'StepFailed';
	}
}

/** A file that was given is not what it has to be. Nothing of it was kept. */
export class BrokenFile extends Failure {
	readonly problem = 'broken-file';

	constructor(message: string) {
		super(message, false);
		this.name = 'BrokenFile';
	}
}

/** The failure that a code stands for, made again on this side of a thread; null for a code of something else. */
export function failureOf(problem: unknown, message: string): Failure | null {
	if (problem === 'provider-failed' || problem === 'provider-refused')
		return new ProviderError(message, problem === 'provider-failed');
	if (problem === 'step-failed') return new StepFailed(message);
	if (problem === 'broken-file') return new BrokenFile(message);
	return null;
}

/** Which of the catalogue an error is, where it says so itself. */
export function problemCodeOf(e: unknown): ProblemCode | null {
	const code = (e as { problem?: unknown } | null)?.problem;
	return isProblemCode(code) ? code : null;
}
