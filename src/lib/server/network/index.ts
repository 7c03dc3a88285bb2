export { CALLED_AT, lookAtCalling } from './calling';
export { lookAt, readCertificate } from './certificates';
export {
	accountBlocks,
	blocksAt,
	checksAt,
	checksWords,
	lookAtSite,
	nameOfSite,
	networksOf,
	sweepSites
} from './checks';
export { joinSecret, providerAt, providerSecret, type SiteProvider, writeProvider } from './providers';
export { manifest } from './manifest';
