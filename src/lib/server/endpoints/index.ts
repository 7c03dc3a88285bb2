export { announcedBySite } from './announced';
export { settleEndpoints } from './settle';
export { branchesAt, deviceRanges, devicesOf, endpointById, isShutOut, KEPT, treeAt } from './queries';
export { askedFrom } from './learning';
export { devicesLeftBy, freeAt, keptOf, knowsDevicesAt, modelsOfPeers, withoutDevice } from './keeping';
export { comingView, endpointsView, firmwareView } from './view';
export { endpoints } from './lists';
export { manifest } from './manifest';
