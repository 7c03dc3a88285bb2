export { type DirectoryPerson, everybody, personCalled, personWords } from './directory';
export { countPeople, personNumber, type Sits, writePerson, writeTeam } from './records';
export { isTeam, teamsAbove, teamsByName, teamsRelated } from './teams';
export { directoryPercent } from './learning';
export { manifest } from './manifest';
