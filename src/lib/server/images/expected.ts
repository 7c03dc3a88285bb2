import { expectDuration } from '$lib/core/images/duration';
import { lastSignOut } from '$lib/core/images/waiting';
import { DAY, FOREVER, MINUTE } from '$lib/core/time/units';
import { all, type Db } from '../db';

/** Machines of a site that change side by side when a rule or a rollout has them change: their disks lie on the same volumes. */
export const AT_ONCE = 8;

/** Disks that are moved side by side where nothing else was asked for: they lie on the same few volumes. */
export const DISKS_AT_ONCE = 3;

/** Assumed for putting a machine to a version where none has gone through it yet. */
const ASSUMED = 3 * MINUTE;

/** Ms that it takes to put so many machines to a version, so many at once: from the last moves there were. */
export function moveTime(db: Db, machines: number, atOnce = AT_ONCE): { middle: number; ninety: number } {
	if (machines === 0) return { middle: 0, ninety: 0 };
	const runs = all<{ took: number }>(
		db,
		'SELECT ended - began AS took FROM moves WHERE ended IS NOT NULL AND error IS NULL ORDER BY id DESC LIMIT 100'
	).map((r) => r.took);
	// Rounds one after the other, of which only so many can be drawn apart; more of them differ no more from their mean.
	const rounds = Math.ceil(machines / atOnce);
	const drawn = Math.min(rounds, 24);
	const e = expectDuration(Array.from({ length: drawn }, () => ({ runs, fallback: ASSUMED })));
	return { middle: (e.middle * rounds) / drawn, ninety: (e.ninety * rounds) / drawn };
}

/** Ms until the last session on some machines has ended, from how long the sessions on machines of their pools lasted in 14 days. */
export function signOutTime(db: Db, machines: readonly number[], now: number): { middle: number; ninety: number } {
	const ids = JSON.stringify(machines);
	const open = all<{ since: number }>(
		db,
		`SELECT since FROM sessions WHERE until = ${FOREVER} AND machine_id IN (SELECT value FROM json_each(?))`,
		[ids]
	);
	if (open.length === 0) return { middle: 0, ninety: 0 };
	const past = all<{ took: number }>(
		db,
		`SELECT s.until - s.since AS took FROM sessions s JOIN machines m ON m.id = s.machine_id
		 WHERE s.until <= @now AND s.until > @from AND m.pool_id IN (SELECT pool_id FROM machines WHERE id IN (SELECT value FROM json_each(@ids)))
		 ORDER BY s.until DESC LIMIT 2000`,
		{ now, from: now - 14 * DAY, ids }
	);
	return lastSignOut(
		open.map((s) => now - s.since),
		past.map((s) => s.took)
	);
}
