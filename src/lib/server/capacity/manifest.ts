import type { Manifest } from '../manifest';
import { capacityEndpoints } from './endpoints';
import { capacityComparisons } from './findings';
import { learnWrites } from './overlays';
import { capacityPlans } from './planner';
import { capacitySteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		capacity: typeof capacityPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		capacity: typeof capacitySteps;
	}
}

export const manifest: Manifest = {
	name: 'capacity',
	plans: capacityPlans,
	steps: capacitySteps,
	comparisons: capacityComparisons,
	chores: (ctx) => [{ name: 'what machines have written', every: 'hour', run: () => learnWrites(ctx) }],
	endpoints: capacityEndpoints
};
