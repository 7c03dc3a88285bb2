import { capturePlans } from './capture-plans';
import { deliveryPlans } from './delivery-plans';
import { preparePlans } from './prepare';
import { packagePlans } from './package-plans';

export const packageAreaPlans = [...capturePlans, ...packagePlans, ...deliveryPlans, ...preparePlans];
