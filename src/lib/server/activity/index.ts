export { looksAt, openLook } from './looking';
export { packedProblems } from './packed';
export { keptDays } from './rolling';
export { narrowerAt, usedOf } from './used';
export { aspectWords, rightSoFar, unusualAt } from './unusual';
export { activityView, FEW, hitsView, reachedView, unusedRules } from './view';
export { manifest } from './manifest';
