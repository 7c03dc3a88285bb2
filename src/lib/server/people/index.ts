export { type DirectoryPerson, everybody, personCalled } from './directory';
export { isTeam, teamsAbove, teamsRelated } from './teams';
export { manifest } from './manifest';
