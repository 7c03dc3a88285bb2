import type { Manifest } from '../manifest';
import { machineEndpoints } from './endpoints';
import { giveUpComparisons } from './findings';
import { unmadeNeeds } from './needs';
import { machineCard, poolCard } from './cards';
import { makingPlans } from './planner';
import { makingSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		machines: typeof makingPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		machines: typeof makingSteps;
	}
}

export const manifest: Manifest = {
	name: 'machines',
	plans: makingPlans,
	steps: makingSteps,
	cards: { machine: machineCard, pool: poolCard },
	needs: unmadeNeeds,
	comparisons: giveUpComparisons,
	endpoints: machineEndpoints
};
