import { one, putSetting } from '../db';
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
	'activity.keep': stepHandler<{ days: number }>({
		async run({ input }) {
			return { write: (db) => putSetting(db, KEPT_DAYS, String(input.days)) };
		}
	})
};
