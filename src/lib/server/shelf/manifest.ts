import type { Manifest } from '../manifest';
import { shelfEndpoints } from './endpoints';
import { requests } from './lists';
import { shelfPlans } from './planner';
import { shelfSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		shelf: typeof shelfPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		shelf: typeof shelfSteps;
	}
}

export const manifest: Manifest = {
	name: 'shelf',
	plans: shelfPlans,
	steps: shelfSteps,
	lists: [requests],
	endpoints: shelfEndpoints
};
