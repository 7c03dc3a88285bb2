import { capturePlans } from './capture-plans';
import { packagePlans } from './package-plans';

export const packageAreaPlans = [...capturePlans, ...packagePlans];
