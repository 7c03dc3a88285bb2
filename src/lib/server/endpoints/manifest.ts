import type { Manifest } from '../manifest';
import { endpointAdds, endpointCard } from './cards';
import { forgetStarts, takeEndpoint } from './learning';
import { branches, endpoints, enrolmentRules } from './lists';
import { waitingNeeds } from './needs';
import { endpointPlans } from './planner';
import { endpointSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		endpoints: typeof endpointPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		endpoints: typeof endpointSteps;
	}
}

export const manifest: Manifest = {
	name: 'endpoints',
	plans: endpointPlans,
	steps: endpointSteps,
	cards: { endpoint: endpointCard },
	adds: endpointAdds,
	lists: [endpoints, branches, enrolmentRules],
	needs: waitingNeeds,
	observes: { take: { endpoint: takeEndpoint } },
	chores: (ctx) => [{ name: 'starts of endpoints', every: 'hour', run: (now) => forgetStarts(ctx.db, now) }]
};
