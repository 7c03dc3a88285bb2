import type { Manifest } from '../manifest';
import { settingsAdds, settingsGroupCard } from './cards';
import { settingsEndpoints } from './endpoints';
import { settingsComparisons } from './findings';
import { settingsCatalogue, settingsGroups } from './lists';
import { settingsPlans } from './planner';
import { settingsSteps } from './steps';
import { tellChanged } from './tell';

declare module '../plans/kind' {
	interface AreaPlans {
		settings: typeof settingsPlans;
	}
}
declare module '../jobs/step' {
	interface AreaSteps {
		settings: typeof settingsSteps;
	}
}

export const manifest: Manifest = {
	name: 'settings',
	plans: settingsPlans,
	steps: settingsSteps,
	cards: { 'settings-group': settingsGroupCard },
	adds: settingsAdds,
	lists: [settingsGroups, settingsCatalogue],
	endpoints: settingsEndpoints,
	comparisons: settingsComparisons,
	chores: (ctx) => [{ name: 'settings told to agents', every: 'sweep', run: () => tellChanged(ctx) }]
};
