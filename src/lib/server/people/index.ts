export { type DirectoryPerson, everybody, personCalled, personWords } from './directory';
export { isTeam, teamsAbove, teamsByName, teamsRelated } from './teams';
export { directoryPercent } from './learning';
export { manifest } from './manifest';
