export { answerScim } from './answer';
export { manifest } from './manifest';
