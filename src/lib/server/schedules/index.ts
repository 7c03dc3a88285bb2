export { calendarFeed } from './calendar';
export { runsOf, schedulesAt } from './queries';
export { Scheduler } from './scheduler';
export { manifest } from './manifest';
