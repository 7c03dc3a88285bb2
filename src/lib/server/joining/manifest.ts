import type { Manifest } from '../manifest';
import { joiningEndpoints } from './endpoints';
import { sites } from './lists';
import { siteCard } from './site-card';
import { joiningPlans } from './planner';
import { joiningSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		joining: typeof joiningPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		joining: typeof joiningSteps;
	}
}

export const manifest: Manifest = {
	name: 'joining',
	plans: joiningPlans,
	steps: joiningSteps,
	cards: { site: siteCard },
	lists: [sites],
	endpoints: joiningEndpoints
};
