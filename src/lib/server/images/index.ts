export { billOfMaterials } from './bom';
export { lineOrThrow, nextNumber, stepFields } from './build-plans';
export { buildsAt, suppliesOf } from './builds';
export { handChangesOf, typeAtConsole } from './console';
export { Follower } from './follower';
export { followingAt, rulesAt, rulesNaming, versionToMake, whoTakes, whyOnVersion } from './following';
export {
	lineAt,
	linesAt,
	linesTyped,
	openingOf,
	openingsAt,
	sheetAt,
	sitesWith,
	trialOf,
	usedLineAt,
	usedLinesAt
} from './queries';
export { reportOf, reportOfText, type SheetReport } from './report';
export { rolloutsAt } from './rollouts';
export { dueAt, handOutTime, lackingAt, linksOf, packedSize, shipmentsAt, THICK, wholeSites } from './shipping';
export { learnStores, noteStores, sendBetween } from './stores';
export { writeRule } from './version-steps';
export { manifest } from './manifest';
