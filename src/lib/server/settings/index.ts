export { settleSettings } from './settle';
export { tellSettings } from './tell';
export { settingOf, settingOfAll } from './of-endpoint';
export { isNamedAcross } from './of-session';
export { manifest } from './manifest';
export { settingsView } from './view';
