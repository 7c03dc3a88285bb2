export { act, machinesNotToMove } from './power';
export { hoursById, machineCount, poolAt, type PoolRow, poolsAt, versionsByPool } from './queries';
export { changePool } from './write';
export { manifest } from './manifest';
