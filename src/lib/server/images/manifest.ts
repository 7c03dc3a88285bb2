import type { Manifest } from '../manifest';
import { imageEndpoints } from './endpoints';
import { imageLines } from './lists';
import { imageChores } from './chores';
import { signInComparisons } from './findings';
import { imageNeeds } from './needs';
import { versionCard } from './version-card';
import { imagePlans } from './planner';
import { imageSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		images: typeof imagePlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		images: typeof imageSteps;
	}
}

export const manifest: Manifest = {
	name: 'images',
	plans: imagePlans,
	steps: imageSteps,
	cards: { version: versionCard },
	needs: imageNeeds,
	comparisons: signInComparisons,
	chores: imageChores,
	lists: [imageLines],
	endpoints: imageEndpoints
};
