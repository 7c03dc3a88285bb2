import type { Manifest } from '../manifest';
import { watchLists } from './lists';
import { pressedComparisons } from './findings';
import { sessionCard } from './cards';
import { sessionPlans } from './planner';
import { sessionSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		watch: typeof sessionPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		watch: typeof sessionSteps;
	}
}

export const manifest: Manifest = {
	name: 'watch',
	plans: sessionPlans,
	steps: sessionSteps,
	cards: { session: sessionCard },
	comparisons: pressedComparisons,
	lists: watchLists
};
