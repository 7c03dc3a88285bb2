export { type DirectoryPerson, everybody, firstPeople, personCalled, personWords } from './directory';
export { isTeam, teamsAbove, teamsByName, teamsRelated } from './teams';
export { manifest } from './manifest';
