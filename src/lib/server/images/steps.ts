import { buildSteps } from './build-steps';
import { freshSteps } from './fresh-steps';
import { handSteps } from './hand-steps';
import { lineSteps } from './line-steps';
import { rolloutSteps } from './rollout-steps';
import { shipSteps } from './ship-steps';
import { versionSteps } from './version-steps';

export const imageSteps = {
	...lineSteps,
	...buildSteps,
	...versionSteps,
	...handSteps,
	...shipSteps,
	...rolloutSteps,
	...freshSteps
};
