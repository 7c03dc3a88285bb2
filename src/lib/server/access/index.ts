export { asRule, requestOfPerson, testAccess } from './circumstances';
export { type Landing, landingOf } from './landing';
export { matrixAt, matrixIn, whyCell } from './matrix';
export { refusalsBetween } from './refusals';
export { manifest } from './manifest';
