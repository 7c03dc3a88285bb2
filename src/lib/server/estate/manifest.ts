import type { Manifest } from '../manifest';
import { estateComparisons } from './findings';
import { hostCard, networkCard, volumeCard } from './cards';
import { estatePlans } from './planner';
import { estateSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		estate: typeof estatePlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		estate: typeof estateSteps;
	}
}

export const manifest: Manifest = {
	name: 'estate',
	plans: estatePlans,
	steps: estateSteps,
	cards: { host: hostCard, volume: volumeCard, network: networkCard },
	comparisons: estateComparisons
};
