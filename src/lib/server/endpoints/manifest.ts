import type { Manifest } from '../manifest';
import { announcePlans } from './announce-plans';
import { certifyDevices } from './certificates';
import { authorityEndpoints } from './endpoints';
import { endpointComparisons } from './findings';
import { endpointAdds, endpointCard } from './cards';
import { forgetStarts, takeEndpoint } from './learning';
import { announcedEndpoints, branches, endpointCertificates, endpoints, enrolmentRules } from './lists';
import { waitingNeeds } from './needs';
import { endpointPlans } from './planner';
import { endpointSteps } from './steps';
import { endpointWork } from './work-plans';

declare module '../plans/kind' {
	interface AreaPlans {
		endpoints: typeof endpointPlans;
		announced: typeof announcePlans;
		endpointWork: typeof endpointWork;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		endpoints: typeof endpointSteps;
	}
}

export const manifest: Manifest = {
	name: 'endpoints',
	plans: [...endpointPlans, ...announcePlans, ...endpointWork],
	steps: endpointSteps,
	cards: { endpoint: endpointCard },
	adds: endpointAdds,
	lists: [endpoints, branches, enrolmentRules, announcedEndpoints, endpointCertificates],
	endpoints: authorityEndpoints,
	comparisons: endpointComparisons,
	needs: waitingNeeds,
	observes: { take: { endpoint: takeEndpoint } },
	chores: (ctx) => [
		{ name: 'certificates of endpoints', every: 'sweep', run: (now) => certifyDevices(ctx, now) },
		{ name: 'starts of endpoints', every: 'hour', run: (now) => forgetStarts(ctx.db, now) }
	]
};
