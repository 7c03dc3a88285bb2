import type { Manifest } from '../manifest';
import { portalPlans } from './planner';
import { portalSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		portal: typeof portalPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		portal: typeof portalSteps;
	}
}

export const manifest: Manifest = { name: 'portal', plans: portalPlans, steps: portalSteps };
