import { changePool } from '../pools';
import { stepHandler } from '../jobs/step';

export const capacitySteps = {
	'policy.write': stepHandler<{ pool: string; policy: unknown }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => changePool(db, input.pool, { policy: JSON.stringify(input.policy) }, now)
			};
		}
	})
};
