export { outside, outsideWords, partName, seesRef } from './check';
export { inPart } from './view';
