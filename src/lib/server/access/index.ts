export { asRule, requestOfPerson, testAccess } from './circumstances';
export { matrixAt, matrixIn, whyCell } from './matrix';
export { refusalsBetween } from './refusals';
export { manifest } from './manifest';
