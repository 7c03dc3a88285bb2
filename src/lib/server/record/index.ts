export { entriesBefore, firstBrokenEntry, note, noteEach, toldProblems } from './entries';
export { manifest } from './manifest';
