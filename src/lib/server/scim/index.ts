export { answerScim, refused } from './answer';
export { manifest } from './manifest';
