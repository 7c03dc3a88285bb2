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

const handlers = {
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

/** Every kind of step, by name. */
export const STEP_HANDLERS: Readonly<Record<string, StepHandler>> = handlers;

type Handlers = typeof handlers;
export type StepKind = keyof Handlers;
/** What a step of a kind is given by the plan that makes it. */
export type StepInput<K extends StepKind> = Handlers[K] extends StepHandler<infer I> ? I : never;
