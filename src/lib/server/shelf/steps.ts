import { run } from '../db';
import { closeAt, putAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';

export const shelfSteps = {
	'shelf.fetch': stepHandler<{ publication: string; person: number }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => putAt(db, 'fetched', { person_id: input.person, publication_id: input.publication }, now)
			};
		}
	}),

	'shelf.drop': stepHandler<{ publication: string; people: number[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const person of input.people)
						closeAt(db, 'fetched', { person_id: person, publication_id: input.publication }, now);
				}
			};
		}
	}),

	'request.make': stepHandler<{ publication: string; person: number; why: string }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) =>
					run(db, 'INSERT INTO requests(person_id, publication_id, at, why) VALUES (?, ?, ?, ?)', [
						input.person,
						input.publication,
						now,
						input.why
					])
			};
		}
	}),

	'request.answer': stepHandler<{ request: number; approve: boolean; words: string }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) =>
					run(db, 'UPDATE requests SET answer = ?, answered_at = ?, answered_by = ?, words = ? WHERE id = ?', [
						input.approve ? 'approved' : 'declined',
						now,
						job.by,
						input.words,
						input.request
					])
			};
		}
	})
};
