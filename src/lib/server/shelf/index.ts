export { poolOf, windowsIn } from './desk';
export { requestsAt, requestsIn, shelfOf } from './queries';
export { appsOf, machinesKeptBy, sessionsOf, usualOpening } from './mine';
export { manifest } from './manifest';
