import { FOREVER } from '$lib/core/time/units';
import { one, run } from '../db';
import { stepHandler, type StepHandler } from '../jobs/step';

export const capacitySteps: Record<string, StepHandler> = {
	'policy.write': stepHandler<{ pool: string; policy: unknown }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const row = one<Record<string, unknown>>(db, `SELECT * FROM pools WHERE id = ? AND until = ${FOREVER}`, [
						input.pool
					])!;
					run(db, 'DELETE FROM pools WHERE id = ? AND since >= ?', [input.pool, now]);
					run(db, 'UPDATE pools SET until = ? WHERE id = ? AND until > ?', [now, input.pool, now]);
					const next = { ...row, since: now, until: FOREVER, policy: JSON.stringify(input.policy) };
					run(
						db,
						`INSERT INTO pools(${Object.keys(next).join(', ')}) VALUES (${Object.keys(next)
							.map(() => '?')
							.join(', ')})`,
						Object.values(next)
					);
				}
			};
		}
	})
};
