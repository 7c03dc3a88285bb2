import { captureStepHandlers } from './capture-steps';
import { deliveryStepHandlers } from './delivery-steps';
import { prepareSteps } from './prepare';
import { packageStepHandlers } from './package-steps';

export const packageSteps = {
	...captureStepHandlers,
	...packageStepHandlers,
	...deliveryStepHandlers,
	...prepareSteps
};
