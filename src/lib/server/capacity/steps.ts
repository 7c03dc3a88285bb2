import { run } from '../db';
import { insertRow } from '../db/rows';
import { changePool } from '../pools';
import { stepHandler } from '../jobs/step';

export const capacitySteps = {
	'hours.write': stepHandler<{ id: string; days: number[]; from: number; until: number }>({
		async run({ input }) {
			return {
				write: (db) => {
					run(db, 'DELETE FROM hours WHERE id = ?', [input.id]);
					insertRow(db, 'hours', {
						id: input.id,
						days: JSON.stringify(input.days),
						from_minute: input.from,
						until_minute: input.until
					});
				}
			};
		}
	}),

	'hours.forget': stepHandler<{ id: string }>({
		async run({ input }) {
			return { write: (db) => void run(db, 'DELETE FROM hours WHERE id = ?', [input.id]) };
		}
	}),

	'policy.write': stepHandler<{ pool: string; policy: unknown }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => changePool(db, input.pool, { policy: JSON.stringify(input.policy) }, now)
			};
		}
	})
};
