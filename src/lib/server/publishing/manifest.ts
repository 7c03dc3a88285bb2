import type { Manifest } from '../manifest';
import { publishingLists } from './lists';
import { publicationCard } from './cards';
import { publicationPlans } from './publication-plans';
import { publishingSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		publishing: typeof publicationPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		publishing: typeof publishingSteps;
	}
}

export const manifest: Manifest = {
	name: 'publishing',
	plans: publicationPlans,
	steps: publishingSteps,
	cards: { publication: publicationCard },
	lists: publishingLists
};
