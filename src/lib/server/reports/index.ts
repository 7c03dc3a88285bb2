export { schedulesOf } from './planner';
export { mayRead } from './making';
export { reportAt, reportsAt, runById, runsAt } from './queries';
export { manifest } from './manifest';
