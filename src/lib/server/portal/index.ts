export { comeIn, KNOWN_DEVICE, mayComeIn, stillHere } from './coming-in';
export { type OwnDevice, type OwnMachine, ownChannels, ownDevices, ownMachines, passing } from './mine';
export { factorsOf, giveFactor } from './giving';
export { passOnce, waysThrough } from './through';
export { changeFor } from './own-change';
export { manifest } from './manifest';
