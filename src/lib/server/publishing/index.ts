export { configureBroker } from './broker';
export { doorsAt } from './door';
export { grantsIn, publishingAt } from './narrowed';
export { remarksOn } from './remarks';
export { appName, poolsFor, servedBy } from './serving';
export { targetsOf, titleIn } from './targets';
export { licenceFacts, licencesAt, peopleUsing, reachedBy } from './people-using';
export { changeFacts, effectsOf } from './access-change';
export { manifest } from './manifest';
