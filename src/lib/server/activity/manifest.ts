import { DAY } from '$lib/core/time/units';
import type { Manifest } from '../manifest';
import { activityAdds } from './cards';
import { activityEndpoints } from './endpoints';
import { forgetHabits, judgeHours } from './habits';
import { activityLooks, unusualActivity } from './lists';
import { activityPlans } from './planner';
import { keptDays, letGo, sumUp } from './rolling';
import { activitySources } from './sources';
import { activitySteps } from './steps';
import { unusualNeeds } from './unusual';
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
	lists: [activityLooks, unusualActivity],
	sources: activitySources,
	endpoints: activityEndpoints,
	adds: activityAdds,
	needs: unusualNeeds,
	observes: { take: { activity: takeActivity }, forget: forgetNames },
	chores: (ctx) => [
		{ name: 'sums of what was reached', every: 'sweep', run: (now) => sumUp(ctx.db, now) },
		{ name: 'what was reached long ago', every: 'sweep', run: (now) => letGo(ctx.db, now) },
		{ name: 'what is out of the ordinary', every: 'sweep', run: (now) => judgeHours(ctx.db, now) },
		{
			name: 'what was out of the ordinary long ago',
			every: 'hour',
			run: (now) => forgetHabits(ctx.db, now - keptDays(ctx.db) * DAY)
		}
	]
};
