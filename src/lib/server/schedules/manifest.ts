import type { Manifest } from '../manifest';
import { scheduleEndpoints } from './endpoints';
import { Scheduler } from './scheduler';
import { scheduleNeeds } from './needs';
import { schedulePlans } from './planner';
import { scheduleSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		schedules: typeof schedulePlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		schedules: typeof scheduleSteps;
	}
}

export const manifest: Manifest = {
	name: 'schedules',
	plans: schedulePlans,
	steps: scheduleSteps,
	needs: scheduleNeeds,
	chores: (ctx) => {
		const scheduler = new Scheduler(ctx);
		return [{ name: 'schedules', every: 'minute', run: (now) => scheduler.minute(now) }];
	},
	endpoints: scheduleEndpoints
};
