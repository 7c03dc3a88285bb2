import { captureStepHandlers } from './capture-steps';
import { packageStepHandlers } from './package-steps';

export const packageSteps = { ...captureStepHandlers, ...packageStepHandlers };
