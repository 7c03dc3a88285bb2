export { joinedSites } from './joined';
export { joiningOf, joiningsAt, stepsOf } from './joinings';
export { manifest } from './manifest';
