export { outside, outsideWords, partName, seesRef } from './check';
export { inPart, NOTHING } from './view';
