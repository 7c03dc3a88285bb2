import { pressedFindings } from '$lib/core/diagnosis/findings';
import { FOREVER, MINUTE } from '$lib/core/time/units';
import type { Context } from '../context';
import { one } from '../db';
import type { Comparison } from '../manifest';
import { pressedThroughout } from '../samples/read';

export const pressedComparisons: readonly Comparison[] = [
	{ kinds: ['runaway machine'], every: 'sweep', look: (ctx, now) => pressedFindings(pressedMachines(ctx, now)) }
];

/** Machines with nearly all their cores in use for the last 20 minutes without a break. */
function pressedMachines(ctx: Context, now: number) {
	return pressedThroughout(ctx.db, 0.93, now - 20 * MINUTE, now, 18).flatMap(({ machine, cores, sessions, since }) => {
		const m = one<{ name: string; site: string }>(
			ctx.db,
			`SELECT name, site_id AS site FROM machines m WHERE id = ? AND NOT EXISTS (SELECT 1 FROM failing_checks f WHERE f.machine_id = m.id AND f.until = ${FOREVER})`,
			[machine]
		);
		return m ? [{ ...m, cores, sessions, pressedSince: since, now }] : [];
	});
}
