export { employmentsOf, formChoices, keepingNow, leaverNow, ownPerson, welcomeNow, personalPools } from './choices';
export { desks } from './kept';
export { AROUND, comingAt, comingGroups, daysOf } from './coming';
export { moverNow } from './move-plans';
export { manifest } from './manifest';
