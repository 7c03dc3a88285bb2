import type { Manifest } from '../manifest';
import { announcePlans } from './announce-plans';
import { certifyDevices, certifyNewcomers, tellRevokedAnew } from './certificates';
import { deviceEndpoints } from './endpoints';
import { endpointComparisons } from './findings';
import { endpointAdds, endpointCard } from './cards';
import { bringFirmware } from './firmware';
import { firmwarePlans } from './firmware-plans';
import { keepLeft } from './keeping';
import { keepingPlans } from './keeping-plans';
import { forgetStarts, takeEndpoint } from './learning';
import {
	announcedEndpoints,
	branches,
	endpointCertificates,
	endpointFirmware,
	endpoints,
	enrolmentRules
} from './lists';
import { endpointNeeds } from './needs';
import { endpointPlans } from './planner';
import { endpointSteps } from './steps';
import { endpointWork } from './work-plans';

declare module '../plans/kind' {
	interface AreaPlans {
		endpoints: typeof endpointPlans;
		announced: typeof announcePlans;
		endpointWork: typeof endpointWork;
		endpointKeeping: typeof keepingPlans;
		firmware: typeof firmwarePlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		endpoints: typeof endpointSteps;
	}
}

export const manifest: Manifest = {
	name: 'endpoints',
	plans: [...endpointPlans, ...announcePlans, ...endpointWork, ...keepingPlans, ...firmwarePlans],
	steps: endpointSteps,
	cards: { endpoint: endpointCard },
	adds: endpointAdds,
	lists: [endpoints, branches, enrolmentRules, announcedEndpoints, endpointCertificates, endpointFirmware],
	endpoints: deviceEndpoints,
	comparisons: endpointComparisons,
	needs: endpointNeeds,
	observes: { take: { endpoint: takeEndpoint } },
	chores: (ctx) => [
		{ name: 'revoked certificates told to gateways', every: 'sweep', run: () => tellRevokedAnew(ctx) },
		{ name: 'certificates of new endpoints', every: 'minute', run: (now) => certifyNewcomers(ctx, now) },
		{ name: 'certificates of endpoints', every: 'sweep', run: (now) => certifyDevices(ctx, now) },
		{ name: 'endpoints of people who have ended', every: 'sweep', run: (now) => keepLeft(ctx.db, now) },
		{ name: 'firmware of endpoints', every: 'sweep', run: (now) => bringFirmware(ctx, now) },
		{ name: 'starts of endpoints', every: 'hour', run: (now) => forgetStarts(ctx.db, now) }
	]
};
