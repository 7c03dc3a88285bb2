import { one, putSetting, run } from '../db';
import { StepFailed } from '../providers';
import { stepHandler } from '../jobs/step';
import { noteLook } from './looking';
import { KEPT_DAYS } from './rolling';

export const activitySteps = {
	'activity.note-look': stepHandler<{ person: string; why: string }>({
		async run({ ctx, input, job }) {
			const person = one<{ id: number }>(ctx.db, 'SELECT id FROM people WHERE login = ?', [input.person]);
			if (!person) throw new StepFailed(`the directory knows nobody called ${input.person}`);
			const at = ctx.clock.now();
			return {
				write: (db) => noteLook(db, { person: person.id, operator: job.operator, by: job.by, why: input.why, at })
			};
		}
	}),
	'activity.answer-unusual': stepHandler<{ id: number; answer: 'yes' | 'no' | null; words: string }>({
		async run({ ctx, input, job }) {
			const by = input.answer === null ? null : job.by;
			const at = input.answer === null ? null : ctx.clock.now();
			return {
				write: (db) =>
					run(db, 'UPDATE unusual_activity SET answer = ?, answered_by = ?, answered_at = ?, words = ? WHERE id = ?', [
						input.answer,
						by,
						at,
						input.words || null,
						input.id
					])
			};
		}
	}),
	'activity.keep': stepHandler<{ days: number }>({
		async run({ input }) {
			return { write: (db) => putSetting(db, KEPT_DAYS, String(input.days)) };
		}
	})
};
