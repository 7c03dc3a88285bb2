export {
	beginJoining,
	checkJoining,
	endJoining,
	JOINING_STEPS,
	joiningOf,
	joiningsAt,
	joiningSchemas,
	saveAnswer,
	stepsOf
} from './joinings';
export { manifest } from './manifest';
