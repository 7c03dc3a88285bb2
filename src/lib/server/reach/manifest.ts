import type { Manifest } from '../manifest';
import { reachEndpoints } from './endpoints';
import { accessRules, privateServices, siteCategories } from './lists';
import { reachPlans } from './planner';
import { reachSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		reach: typeof reachPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		reach: typeof reachSteps;
	}
}

export const manifest: Manifest = {
	name: 'reach',
	plans: reachPlans,
	steps: reachSteps,
	lists: [accessRules, privateServices, siteCategories],
	endpoints: reachEndpoints
};
