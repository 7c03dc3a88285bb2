import type { Manifest } from '../manifest';
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

export const manifest: Manifest = { name: 'schedules', plans: schedulePlans, steps: scheduleSteps };
