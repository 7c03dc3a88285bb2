import type { Manifest } from '../manifest';
import { operatorPlans } from './planner';
import { operatorSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		operators: typeof operatorPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		operators: typeof operatorSteps;
	}
}

export const manifest: Manifest = { name: 'operators', plans: operatorPlans, steps: operatorSteps };
