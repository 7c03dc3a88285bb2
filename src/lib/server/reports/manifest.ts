import { DAY } from '$lib/core/time/units';
import { keptDays } from '../activity';
import type { Manifest } from '../manifest';
import { reportCard } from './cards';
import { reportEndpoints } from './endpoints';
import { reportRuns, reports } from './lists';
import { reportPlans } from './planner';
import { letReportsGo, reportSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		reports: typeof reportPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		reports: typeof reportSteps;
	}
}

export const manifest: Manifest = {
	name: 'reports',
	plans: reportPlans,
	steps: reportSteps,
	cards: { report: reportCard },
	lists: [reports, reportRuns],
	endpoints: reportEndpoints,
	chores: ({ db }) => [
		{
			name: 'reports of what people reached long ago',
			every: 'hour',
			run: (now) => letReportsGo(db, now - keptDays(db) * DAY)
		}
	]
};
