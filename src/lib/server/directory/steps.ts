import { putSetting } from '../db';
import { stepHandler } from '../jobs/step';
import { ProviderError } from '../providers';
import { PERCENT, takeIn, waitingChanges } from './learning';

export const directorySteps = {
	'directory.take': stepHandler<{ through: number }>({
		async run({ ctx, input }) {
			// What came after the plan waits for the next look: nobody has seen it.
			const seen = await waitingChanges(ctx, input.through);
			// One that was read whole cannot be read as it was then.
			if (seen.anew && seen.through !== input.through)
				throw new ProviderError('the directory has changed since these changes were looked at: plan them again', false);
			const now = ctx.clock.now();
			return {
				write: (db) => {
					if (seen.changes.length) takeIn(db, seen, now);
				}
			};
		}
	}),
	'directory.limit': stepHandler<{ percent: number }>({
		async run({ input }) {
			return { write: (db) => putSetting(db, PERCENT, String(input.percent)) };
		}
	})
};
