import type { Manifest } from '../manifest';
import { noteAdds, noteCard } from './cards';
import { notes } from './lists';
import { notePlans } from './planner';
import { noteSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		notes: typeof notePlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		notes: typeof noteSteps;
	}
}

export const manifest: Manifest = {
	name: 'notes',
	plans: notePlans,
	steps: noteSteps,
	cards: { note: noteCard },
	adds: noteAdds,
	lists: [notes]
};
