import { captureStepHandlers } from './capture-steps';
import { deliveryStepHandlers } from './delivery-steps';
import { packageStepHandlers } from './package-steps';

export const packageSteps = { ...captureStepHandlers, ...packageStepHandlers, ...deliveryStepHandlers };
