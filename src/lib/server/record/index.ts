export { entriesBefore, firstBrokenEntry, note, toldProblems } from './entries';
export { manifest } from './manifest';
