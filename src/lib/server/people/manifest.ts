import type { Manifest } from '../manifest';
import { endSignIns, keepAccounts, makeMoves, noteAddresses } from './accounts';
import { personCard } from './cards';
import { peopleEndpoints } from './endpoints';
import { comings, teams } from './lists';
import { desks } from './kept';
import { keepDesks, keptSteps } from './keep-desks';
import { keptPlans } from './kept-plans';
import { leavePlans } from './leave-plans';
import { leaveSteps } from './leave-steps';
import { carryOutHandovers } from './leaves';
import { movePlan } from './move-plans';
import { peopleNeeds } from './needs';
import { peoplePlans } from './planner';
import { peopleSteps } from './steps';
import { welcomePlans } from './welcome-plans';
import { welcomeSteps } from './welcome-steps';

const plans = [...peoplePlans, movePlan, ...leavePlans, ...welcomePlans, ...keptPlans];
const steps = { ...peopleSteps, ...leaveSteps, ...welcomeSteps, ...keptSteps };

declare module '../plans/kind' {
	interface AreaPlans {
		people: typeof plans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		people: typeof steps;
	}
}

export const manifest: Manifest = {
	name: 'people',
	plans,
	steps,
	cards: { person: personCard },
	lists: [teams, comings, desks],
	needs: peopleNeeds,
	endpoints: peopleEndpoints,
	chores: (ctx) => [
		{ name: 'moves of people', every: 'minute', run: (now) => makeMoves(ctx.db, now) },
		{ name: 'accounts of people', every: 'minute', run: () => keepAccounts(ctx) },
		{ name: 'where newcomers sit', every: 'hour', run: () => noteAddresses(ctx.db) },
		{ name: 'people who have ended', every: 'minute', run: (now) => endSignIns(ctx.db, now) },
		{ name: 'handovers', every: 'minute', run: (now) => carryOutHandovers(ctx, now) },
		{ name: 'pools kept for teams', every: 'sweep', run: (now) => keepDesks(ctx, now) }
	]
};
