export { type DirectoryPerson, everybody, loginTyped, personCalled, personWords, saidBy } from './everybody';
export {
	countPeople,
	endTeam,
	factsThrough,
	joinTeam,
	type KnownPerson,
	leaveTeam,
	personNumber,
	recordOf,
	recordsAt,
	recordsOf,
	type Sits,
	type Source,
	SOURCE_WORDS,
	writePerson,
	writeTeam
} from './records';
export {
	freeTeamId,
	isTeam,
	type Membership,
	membershipsOf,
	teamsAbove,
	teamsByName,
	teamsRelated,
	teamsThen
} from './teams';
export { directoryPercent, teamProblem } from './learning';
export { manifest } from './manifest';
