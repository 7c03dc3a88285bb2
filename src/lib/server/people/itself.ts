import type { Caller } from '../identity/caller';

/** Sextant itself, where it carries out what somebody has arranged: `name` says what, for the change log. */
export const itself = (name: string): Caller => ({
	kind: 'token',
	id: 0,
	name,
	login: '',
	role: 'operator',
	factor: false,
	signIn: null
});
