import type { Manifest } from '../manifest';
import { activityAdds } from './cards';
import { activityEndpoints } from './endpoints';
import { activityLooks } from './lists';
import { activityPlans } from './planner';
import { letGo, sumUp } from './rolling';
import { activitySources } from './sources';
import { activitySteps } from './steps';
import { forgetNames, takeActivity } from './write';

declare module '../plans/kind' {
	interface AreaPlans {
		activity: typeof activityPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		activity: typeof activitySteps;
	}
}

export const manifest: Manifest = {
	name: 'activity',
	plans: activityPlans,
	steps: activitySteps,
	lists: [activityLooks],
	sources: activitySources,
	endpoints: activityEndpoints,
	adds: activityAdds,
	observes: { take: { activity: takeActivity }, forget: forgetNames },
	chores: (ctx) => [
		{ name: 'sums of what was reached', every: 'sweep', run: (now) => sumUp(ctx.db, now) },
		{ name: 'what was reached long ago', every: 'sweep', run: (now) => letGo(ctx.db, now) }
	]
};
