export { settleSettings } from './settle';
export { tellSettings } from './tell';
export { settingOf } from './of-endpoint';
export { manifest } from './manifest';
export { settingsView } from './view';
