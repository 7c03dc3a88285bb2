export { comingAt, comingGroups, AROUND } from './coming';
export { knownHere } from './files';
export { manifest } from './manifest';
