import { machineSteps } from './machine-steps';
import { poolSteps } from './pool-steps';

export const makingSteps = { ...poolSteps, ...machineSteps };
