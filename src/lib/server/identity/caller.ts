import type { Role } from '$lib/core/access/rights';

/** Who makes a request, once known. */
export interface Caller {
	kind: 'operator' | 'token' | 'person';
	/** Operator's or person's number; a token's number. */
	id: number;
	/** Shown, and written into the change log. */
	name: string;
	login: string;
	role: Role;
	/** Whether a second factor was given at this sign-in. */
	factor: boolean;
	/** The sign-in's own key, for ending it. */
	signIn: string | null;
}
