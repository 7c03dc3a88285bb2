import type { Manifest } from '../manifest';
import { diagnosisLists } from './lists';
import { gatewayComparisons } from './findings';
import { sweepChecks } from './machine-checks';
import { diagnosisNeeds } from './needs';
import { findingCard, gatewayCard } from './cards';
import { repairPlans } from './planner';
import { repairSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		diagnosis: typeof repairPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		diagnosis: typeof repairSteps;
	}
}

export const manifest: Manifest = {
	name: 'diagnosis',
	plans: repairPlans,
	steps: repairSteps,
	cards: { gateway: gatewayCard, finding: findingCard },
	needs: diagnosisNeeds,
	comparisons: gatewayComparisons,
	chores: (ctx, seen) => [
		{ name: 'checks of machines', every: 'sweep', run: (now) => sweepChecks(ctx, [...seen().machines.values()], now) }
	],
	lists: diagnosisLists
};
