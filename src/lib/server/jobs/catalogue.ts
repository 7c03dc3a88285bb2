import { accessSteps } from '../access/steps';
import { capacitySteps } from '../capacity/steps';
import { repairSteps } from '../diagnosis/steps';
import { placeSteps } from '../network/steps';
import { identitySteps } from '../identity/steps';
import { imageSteps } from '../images/steps';
import { machineSteps } from '../publishing/machine-steps';
import { packageSteps } from '../packages/steps';
import { publishingSteps } from '../publishing/steps';
import { resourceSteps } from '../resources/steps';
import { scheduleSteps } from '../schedules/steps';
import { shelfSteps } from '../shelf/steps';
import { sessionSteps } from '../watch/steps';
import type { StepHandler } from './step';

/** Every kind of step, by name. */
export const STEP_HANDLERS: Record<string, StepHandler> = {
	...imageSteps,
	...publishingSteps,
	...machineSteps,
	...packageSteps,
	...accessSteps,
	...shelfSteps,
	...capacitySteps,
	...sessionSteps,
	...repairSteps,
	...resourceSteps,
	...placeSteps,
	...identitySteps,
	...scheduleSteps
};
