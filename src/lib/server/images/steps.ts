import { buildSteps } from './build-steps';
import { freshSteps } from './fresh-steps';
import { handSteps } from './hand-steps';
import { rolloutSteps } from './rollout-steps';
import { shipSteps } from './ship-steps';
import { versionSteps } from './version-steps';

export const imageSteps = {
	...buildSteps,
	...versionSteps,
	...handSteps,
	...shipSteps,
	...rolloutSteps,
	...freshSteps
};
