import { bringCatalogue, putCatalogue } from './catalogue-plans';
import { bringRules, changeRules } from './rule-plans';
import { putService, removeService } from './service-plans';

export const reachPlans = [changeRules, bringRules, putService, removeService, putCatalogue, bringCatalogue] as const;
