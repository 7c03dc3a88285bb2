export { poolOf, windowsIn } from './desk';
export { requestsAt, requestsIn, type ShelfItem, shelfOf } from './queries';
export { appsOf, machinesKeptBy, sessionsOf, usualOpening } from './mine';
export { manifest } from './manifest';
