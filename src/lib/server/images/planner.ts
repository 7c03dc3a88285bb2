import { buildPlans } from './build-plans';
import { handPlans } from './hand-plans';
import { versionPlans } from './version-plans';

export const imagePlans = [...buildPlans, ...versionPlans, ...handPlans];
