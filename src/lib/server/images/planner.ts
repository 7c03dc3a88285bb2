import { buildPlans } from './build-plans';
import { freshPlans } from './fresh-plans';
import { handPlans } from './hand-plans';
import { linePlans } from './line-plans';
import { rolloutPlans } from './rollout-plans';
import { shipPlans } from './ship-plans';
import { versionPlans } from './version-plans';

export const imagePlans = [
	...linePlans,
	...buildPlans,
	...versionPlans,
	...handPlans,
	...shipPlans,
	...rolloutPlans,
	...freshPlans
];
