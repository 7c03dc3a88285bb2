import { bringCatalogue, putCatalogue } from './catalogue-plans';
import { putGateway, removeGateway } from './gateway-plans';
import { relyOn } from './relying';
import { bringRules, changeRules } from './rule-plans';
import { putService, removeService } from './service-plans';

export const reachPlans = [
	changeRules,
	bringRules,
	putGateway,
	removeGateway,
	relyOn,
	putService,
	removeService,
	putCatalogue,
	bringCatalogue
] as const;
