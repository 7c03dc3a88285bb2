export { formChoices, ownPerson } from './choices';
export { AROUND, comingAt, comingGroups } from './coming';
export { manifest } from './manifest';
