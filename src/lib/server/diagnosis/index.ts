export { findingById, type FindingRow, findingsAt } from './queries';
export { Remedies, sweepChecks, sweepFindings } from './watchman';
export { manifest } from './manifest';
