import type { Manifest } from '../manifest';
import { learnPeople } from './learning';
import { personCard } from './cards';
import { teams } from './lists';
import { heldNeeds, leftOutNeeds } from './needs';
import { peoplePlans } from './planner';
import { peopleSteps } from './steps';

declare module '../plans/kind' {
	interface AreaPlans {
		people: typeof peoplePlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		people: typeof peopleSteps;
	}
}

export const manifest: Manifest = {
	name: 'people',
	plans: peoplePlans,
	steps: peopleSteps,
	cards: { person: personCard },
	lists: [teams],
	needs: (db, at) => [...heldNeeds(db, at), ...leftOutNeeds(db, at)],
	chores: (ctx) => [{ name: 'the directory', every: 'minute', run: () => learnPeople(ctx) }]
};
