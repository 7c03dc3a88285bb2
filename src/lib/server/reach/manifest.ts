import type { Manifest } from '../manifest';
import { accessRuleCard, innerGatewayCard, privateServiceCard, reachableSections, siteCategoryCard } from './cards';
import { reachEndpoints } from './endpoints';
import { accessRules, innerGateways, privateServices, siteCategories } from './lists';
import { reachPlans } from './planner';
import { reliedSections, relyingNeeds } from './relying';
import { reachSteps } from './steps';
import { tellRulesChanged } from './tell';
import { reachNeeds, sweepGateways } from './watching';

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
	lists: [accessRules, privateServices, innerGateways, siteCategories],
	endpoints: reachEndpoints,
	needs: (db, at) => [...reachNeeds(db, at), ...relyingNeeds(db, at)],
	chores: (ctx) => [
		{ name: 'access rules told to gateways', every: 'sweep', run: () => tellRulesChanged(ctx) },
		{ name: 'inner gateways', every: 'sweep', run: (now) => sweepGateways(ctx, now) }
	],
	cards: {
		'access-rule': accessRuleCard,
		'inner-gateway': innerGatewayCard,
		'private-service': privateServiceCard,
		'site-category': siteCategoryCard
	},
	adds: (ctx, kind, id, { at }) =>
		kind === 'person'
			? { sections: reachableSections(ctx.db, id, at) }
			: kind === 'publication'
				? { sections: reliedSections(ctx.db, id, at) }
				: {}
};
