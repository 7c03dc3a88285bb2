/** A sign-in within 30 s satisfies; the same target everywhere, so that figures agree. */
export const SIGN_IN_TARGET = 30_000;

/**
 * Apdex of response times (Apdex Technical Specification 1.1): satisfied up to a target, tolerating up to four
 * times that, frustrated beyond. Attempts that failed are frustrated.
 *
 * @param satisfied, tolerating how many attempts
 * @param attempts all of them, the frustrated included
 * @returns 0–1; null without any attempt
 */
export const apdexOf = (satisfied: number, tolerating: number, attempts: number): number | null =>
	attempts === 0 ? null : (satisfied + tolerating / 2) / attempts;
