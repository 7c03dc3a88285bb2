export { formChoices, ownPerson } from './choices';
export { AROUND, comingAt, comingGroups, daysOf } from './coming';
export { manifest } from './manifest';
