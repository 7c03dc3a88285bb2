export { growBy } from './pool-plans';
export { unmadeMachines } from './unmade';
export { manifest } from './manifest';
