export { settleReach } from './settle';
export { manifest } from './manifest';
