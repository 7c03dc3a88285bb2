export { unmadeMachines } from './unmade';
export { manifest } from './manifest';
