export { draftedView, draftOn } from './drafted';
export { editedRule, pickables } from './editing';
export { reachersView } from './reaching';
export { settleReach } from './settle';
export { triedReach } from './tester';
export { rulesView } from './view';
export { manifest } from './manifest';
