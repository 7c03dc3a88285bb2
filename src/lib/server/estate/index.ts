export { leasesOf, networkById, type NetworkRow } from './queries';
export { writeHost, writeNetwork, writeSite, writeVolume } from './sites';
export { manifest } from './manifest';
