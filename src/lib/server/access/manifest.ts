import type { Manifest } from '../manifest';
import { accessEndpoints } from './endpoints';
import { grantCard } from './cards';
import { accessPlans } from './planner';
import { unusedAccess } from './sources';
import { accessSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		access: typeof accessPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		access: typeof accessSteps;
	}
}

export const manifest: Manifest = {
	name: 'access',
	plans: accessPlans,
	steps: accessSteps,
	cards: { grant: grantCard },
	endpoints: accessEndpoints,
	sources: [unusedAccess]
};
