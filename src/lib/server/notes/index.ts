export { manifest } from './manifest';
