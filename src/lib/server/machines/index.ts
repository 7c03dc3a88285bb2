export { previewNames } from './pool-plans';
export { manifest } from './manifest';
