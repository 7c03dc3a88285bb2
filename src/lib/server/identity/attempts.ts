import { MINUTE } from '$lib/core/time/units';
import { one, run, type Db } from '../db';

/** Wrong answers allowed within the window, for one login from one address. Wall-clock time. */
const ATTEMPTS = 8;
const WINDOW = 10 * MINUTE;

export interface TooMany {
	outcome: 'too many';
	waitMinutes: number;
}

/** Too many failed attempts lately, or null. */
export function tooMany(db: Db, who: string): TooMany | null {
	const now = Date.now();
	const { n, first } = one<{ n: number; first: number | null }>(
		db,
		'SELECT count(*) AS n, min(at) AS first FROM sign_in_attempts WHERE who = ? AND at > ?',
		[who, now - WINDOW]
	)!;
	return n >= ATTEMPTS
		? { outcome: 'too many', waitMinutes: Math.max(1, Math.ceil((first! + WINDOW - now) / MINUTE)) }
		: null;
}

/** Notes a failed attempt. */
export function noteAttempt(db: Db, who: string): void {
	const now = Date.now();
	run(db, 'INSERT INTO sign_in_attempts VALUES (?, ?)', [who, now]);
	run(db, 'DELETE FROM sign_in_attempts WHERE at < ?', [now - WINDOW]);
}
