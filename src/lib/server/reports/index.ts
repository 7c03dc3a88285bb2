export { schedulesByReport } from './planner';
export { mayRead } from './making';
export { lastRuns, reportAt, reportsAt, runById, runsAt } from './queries';
export { manifest } from './manifest';
