export { calendarFeed } from './calendar';
export { runsOf, schedulesAt } from './queries';
export { manifest } from './manifest';
