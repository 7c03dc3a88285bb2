import type { Recurrence } from '$lib/core/time/recurrence';
import { FOREVER } from '$lib/core/time/units';
import { run } from '../db';
import { stepHandler, type StepHandler } from '../jobs/step';

export const scheduleSteps: Record<string, StepHandler> = {
	'schedule.write': stepHandler<Recurrence & { title: string; kind: string; input: unknown }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					run(
						db,
						'INSERT INTO schedules(title, kind, input, rule, zone, begins, by, operator_id, since, until, done_to) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)',
						[
							input.title,
							input.kind,
							JSON.stringify(input.input),
							input.rule,
							input.zone,
							input.begins,
							job.by,
							job.operator,
							now,
							FOREVER,
							now
						]
					);
				}
			};
		}
	}),
	'schedule.end': stepHandler<{ schedule: number }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) =>
					run(db, 'UPDATE schedules SET until = max(?, since + 1) WHERE id = ? AND until > ?', [
						now,
						input.schedule,
						now
					])
			};
		}
	})
};
