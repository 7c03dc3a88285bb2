import { logOf } from '$lib/server/log';

/**
 * A promise that nobody waits for any more and that is rejected ends nothing: whoever asked has had an answer. It is said, and that is all.
 * An error that is thrown where nobody can catch it does end the thread, which is started anew.
 */
export function sayStrays(thread: string): void {
	process.on('unhandledRejection', (e) => logOf(thread).warn({ err: e }, 'left over by whoever asked'));
}
