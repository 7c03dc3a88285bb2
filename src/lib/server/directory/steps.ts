import { putSetting } from '../db';
import { stepHandler } from '../jobs/step';
import { PERCENT, takeIn, waitingChanges } from './learning';

export const directorySteps = {
	'directory.take': stepHandler<{ through: number }>({
		async run({ ctx, input }) {
			// What came after the plan waits for the next look: nobody has seen it.
			const seen = await waitingChanges(ctx, input.through);
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
