import { closeAt, putAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';

export const noteSteps = {
	'note.write': stepHandler<{ id: number; kind: string; of: string; text: string }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return { write: (db) => putAt(db, 'notes', { ...input, by: job.by }, now) };
		}
	}),
	'note.remove': stepHandler<{ id: number }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => closeAt(db, 'notes', input, now) };
		}
	})
};
