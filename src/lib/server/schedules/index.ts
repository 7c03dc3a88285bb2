export { calendarFeed } from './calendar';
export { draftSchedule } from './planner';
export { runsOf, schedulesAt } from './queries';
export { manifest } from './manifest';
