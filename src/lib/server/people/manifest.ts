import type { Manifest } from '../manifest';
import { endSignIns, keepAccounts, makeMoves, noteAddresses } from './accounts';
import { personCard } from './cards';
import { peopleEndpoints } from './endpoints';
import { comings, teams } from './lists';
import { notReadyNeeds } from './needs';
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
	lists: [teams, comings],
	needs: notReadyNeeds,
	endpoints: peopleEndpoints,
	chores: (ctx) => [
		{ name: 'moves of people', every: 'minute', run: (now) => makeMoves(ctx.db, now) },
		{ name: 'accounts of people', every: 'minute', run: () => keepAccounts(ctx) },
		{ name: 'where newcomers sit', every: 'hour', run: () => noteAddresses(ctx.db) },
		{ name: 'people who have ended', every: 'minute', run: (now) => endSignIns(ctx.db, now) }
	]
};
