export { announcedBySite } from './announced';
export { settleEndpoints } from './settle';
export { branchesAt, devicesOf, endpointById, isShutOut, treeAt } from './queries';
export { comingView, endpointsView } from './view';
export { endpoints } from './lists';
export { manifest } from './manifest';
