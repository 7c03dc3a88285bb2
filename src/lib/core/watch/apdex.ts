/**
 * Apdex of response times (Apdex Technical Specification 1.1): satisfied up to `target`, tolerating up to four
 * times that, frustrated beyond. Attempts that failed count as frustrated. Null without any.
 *
 * @param times ms, of the attempts that worked
 * @param target ms
 */
export function apdex(times: Iterable<number>, target: number, failed = 0): number | null {
	let satisfied = 0;
	let tolerating = 0;
	let all = failed;
	for (const t of times) {
		all++;
		if (t <= target) satisfied++;
		else if (t <= 4 * target) tolerating++;
	}
	return all === 0 ? null : (satisfied + tolerating / 2) / all;
}

/** A sign-in within 30 s satisfies; the same target everywhere, so that figures agree. */
export const SIGN_IN_TARGET = 30_000;
