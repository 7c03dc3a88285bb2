export { poolOf, windowsIn } from './desk';
export { requestsAt, requestsIn, shelfOf } from './queries';
export { manifest } from './manifest';
