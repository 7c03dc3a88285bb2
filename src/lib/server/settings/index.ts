export { settleSettings } from './settle';
export { tellSettings } from './tell';
export { manifest } from './manifest';
export { settingsView } from './view';
