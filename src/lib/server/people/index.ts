export { type DirectoryPerson, everybody, personCalled } from './directory';
export { teamsAbove, teamsRelated } from './teams';
export { manifest } from './manifest';
