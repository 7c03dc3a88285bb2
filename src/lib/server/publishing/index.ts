export { configureBroker } from './broker';
export { doorsAt } from './door';
export { grantsIn, publishingAt } from './narrowed';
export { remarksOn } from './remarks';
export { appName, poolsFor, servedBy } from './serving';
export { targetsOf, titleIn } from './targets';
export { licenceFacts, licencesAt, peopleUsing, reachedBy } from './use';
export { changeFacts, effectsOf } from './ways';
export { manifest } from './manifest';
