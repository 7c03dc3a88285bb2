export { type FindingRow, findingsAt } from './queries';
export { peopleAffected } from './affected';
export { sweepChecks } from './machine-checks';
export { failingAt } from './failing';
export { manifest } from './manifest';
