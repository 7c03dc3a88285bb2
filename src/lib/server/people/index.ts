export { type DirectoryPerson, everybody, personCalled, personWords } from './directory';
export { isTeam, teamsAbove, teamsByName, teamsRelated } from './teams';
export { manifest } from './manifest';
