import { machinePlans } from './machine-plans';
import { poolPlans } from './pool-plans';

export const makingPlans = [...poolPlans, ...machinePlans];
