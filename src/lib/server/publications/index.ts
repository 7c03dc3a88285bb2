export { iconByDigest, keepIcon, knowsIcon } from './icons';
export {
	type AppRef,
	type GrantRow,
	grantsAt,
	type Look,
	PLAIN_LOOK,
	type PublicationRow,
	publicationsAt
} from './queries';
export { manifest } from './manifest';
