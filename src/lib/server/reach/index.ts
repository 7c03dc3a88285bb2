export { settleReach } from './settle';
export { triedReach } from './tester';
export { rulesView } from './view';
export { manifest } from './manifest';
