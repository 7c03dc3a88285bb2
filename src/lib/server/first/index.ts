export { foundNow, nobodyYet } from './found';
export { manifest } from './manifest';
