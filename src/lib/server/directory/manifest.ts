import type { Manifest } from '../manifest';
import { learnPeople } from './learning';
import { heldNeeds, leftOutNeeds } from './needs';
import { directoryPlans } from './planner';
import { directorySteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		directory: typeof directoryPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		directory: typeof directorySteps;
	}
}

export const manifest: Manifest = {
	name: 'directory',
	plans: directoryPlans,
	steps: directorySteps,
	needs: (db, at) => [...heldNeeds(db, at), ...leftOutNeeds(db, at)],
	chores: (ctx) => [{ name: 'the directory', every: 'minute', run: () => learnPeople(ctx) }]
};
