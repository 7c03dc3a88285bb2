export { findingById, type FindingRow, findingsAt } from './queries';
export { peopleAffected } from './affected';
export { sweepChecks } from './machine-checks';
export { manifest } from './manifest';
