export { asRule, requestOfPerson, testAccess } from './circumstances';
export { matrixAt, matrixIn, whyCell } from './matrix';
export { manifest } from './manifest';
