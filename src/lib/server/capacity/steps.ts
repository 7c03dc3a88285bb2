import { changePool } from '../publishing/machine-steps';
import { stepHandler, type StepHandler } from '../jobs/step';

export const capacitySteps: Record<string, StepHandler> = {
	'policy.write': stepHandler<{ pool: string; policy: unknown }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => changePool(db, input.pool, { policy: JSON.stringify(input.policy) }, now)
			};
		}
	})
};
