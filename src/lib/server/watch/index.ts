export {
	BEGUN_SESSIONS,
	fromOf,
	hostsPage,
	type Listing,
	listingPage,
	machineRow,
	MACHINES,
	machinesPage,
	peoplePage,
	sessionsPage
} from './lists';
export {
	cellsAt,
	connectionsOf,
	failedConnections,
	figuresAt,
	loadAt,
	machineByName,
	peopleBySite,
	poolCounts,
	samplesOf,
	sessionsOn,
	connectionOf,
	usualPhases
} from './queries';
export { untilReady, versionOf } from './steps';
export { manifest } from './manifest';
