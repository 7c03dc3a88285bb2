import { buildPlans } from './build-plans';
import { handPlans } from './hand-plans';
import { shipPlans } from './ship-plans';
import { versionPlans } from './version-plans';

export const imagePlans = [...buildPlans, ...versionPlans, ...handPlans, ...shipPlans];
