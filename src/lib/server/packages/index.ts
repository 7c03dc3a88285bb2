export { tellAgents } from './agents';
export { appsEnded, noteApp, noteAppClosed, notePackage, noteRefusal, nothingAttached, whereIn } from './app-log';
export { beginBrought, broughtBody, compareBrought, PARTS, takePart } from './brought';
export { captureOrGone, choicesBody, saveChoices, sortedCapture } from './choices';
export {
	deliveriesAt,
	deliveryStatesAt,
	failuresIn,
	openAppsAt,
	packagesOn,
	refusedSince,
	startTimes
} from './delivery';
export { deliveriesTo, fitsPool } from './delivery-plans';
export { closeDelivery } from './delivery-steps';
export { lastTrial, warmUpOf } from './prepare';
export {
	captureById,
	capturesAt,
	clashesAt,
	earlierChoices,
	packageAt,
	packagesAt,
	type PackageVersionRow
} from './queries';
export { manifest } from './manifest';
