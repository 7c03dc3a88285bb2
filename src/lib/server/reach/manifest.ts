import type { Manifest } from '../manifest';
import { accessRuleCard, privateServiceCard, reachableSections, siteCategoryCard } from './cards';
import { reachEndpoints } from './endpoints';
import { accessRules, privateServices, siteCategories } from './lists';
import { reachPlans } from './planner';
import { reachSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		reach: typeof reachPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		reach: typeof reachSteps;
	}
}

export const manifest: Manifest = {
	name: 'reach',
	plans: reachPlans,
	steps: reachSteps,
	lists: [accessRules, privateServices, siteCategories],
	endpoints: reachEndpoints,
	cards: {
		'access-rule': accessRuleCard,
		'private-service': privateServiceCard,
		'site-category': siteCategoryCard
	},
	adds: (ctx, kind, id, { at }) => (kind === 'person' ? { sections: reachableSections(ctx.db, id, at) } : {})
};
