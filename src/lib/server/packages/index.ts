export { tellAgents } from './agents';
export { sortedCapture } from './choices';
export { deliveriesAt, deliveryStatesAt, startTimes } from './delivery';
export { deliveriesTo, fitsPool } from './delivery-plans';
export { closeDelivery } from './delivery-steps';
export { capturesAt, clashesAt, earlierChoices, packageAt, packagesAt, type PackageVersionRow } from './queries';
export { manifest } from './manifest';
