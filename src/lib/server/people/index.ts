export { employmentsOf, formChoices, keepingNow, leaverNow, ownPerson, welcomeNow } from './choices';
export { desks } from './kept';
export { AROUND, comingAt, comingGroups, daysOf } from './coming';
export { manifest } from './manifest';
