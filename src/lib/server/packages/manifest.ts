import type { Manifest } from '../manifest';
import { packageEndpoints } from './endpoints';
import { deliveries } from './lists';
import { packageObserves } from './app-log';
import { deliveryComparisons } from './findings';
import { deliveryCard, packageAdds } from './delivery-card';
import { packageCard } from './package-card';
import { packageAreaPlans } from './planner';
import { packageSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		packages: typeof packageAreaPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		packages: typeof packageSteps;
	}
}

export const manifest: Manifest = {
	name: 'packages',
	plans: packageAreaPlans,
	steps: packageSteps,
	cards: { package: packageCard, delivery: deliveryCard },
	adds: packageAdds,
	comparisons: deliveryComparisons,
	observes: packageObserves,
	lists: [deliveries],
	endpoints: packageEndpoints
};
