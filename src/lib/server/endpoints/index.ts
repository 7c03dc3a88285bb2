export { settleEndpoints } from './settle';
export { endpointById } from './queries';
export { endpointsView } from './view';
export { manifest } from './manifest';
