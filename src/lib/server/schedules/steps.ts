import type { Recurrence } from '$lib/core/time/recurrence';
import { closeAt, openAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';

export const scheduleSteps = {
	'schedule.write': stepHandler<Recurrence & { title: string; kind: string; input: unknown }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const { title, kind, rule, zone, begins } = input;
					const what = { title, kind, input: JSON.stringify(input.input), rule, zone, begins };
					openAt(
						db,
						'schedules',
						{ ...what, by: job.by, operator_id: job.operator, assignment_id: job.assignment, done_to: now },
						now
					);
				}
			};
		}
	}),
	'schedule.end': stepHandler<{ schedule: number }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => closeAt(db, 'schedules', { id: input.schedule }, now)
			};
		}
	})
};
