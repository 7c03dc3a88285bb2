import { rightsOf, type Rights, type Role } from '$lib/core/access/rights';

/** Who makes a request, once known. */
export interface Caller {
	kind: 'operator' | 'token' | 'person';
	/** Operator's or person's number; a token's number. */
	id: number;
	/** Shown, and written into the change log. */
	name: string;
	login: string;
	/** What the role is called in which they act. */
	role: string;
	/** Its id: roles that were made here may be called anything. */
	roleId: string;
	/** What they may in it. */
	rights: Rights;
	/** The part of the estate that they have it for, as it is written; null: the whole. */
	part: string | null;
	/** The assignment by which an operator acts; null for all others. */
	assignment: number | null;
	/** Whether a second factor was given at this sign-in. */
	factor: boolean;
	/** In this role nobody acts without one: until it is given, they see to that and to nothing else. */
	needsFactor?: true;
	/** The sign-in's own key, for ending it. */
	signIn: string | null;
}

/** Whose second factor, passkeys and recovery codes: an operator's, or a person's for the portal. Tokens have none: see `factorOwner`. */
export interface FactorOwner {
	kind: 'operator' | 'person';
	id: number;
}

/** What goes with a role that ships, for the whole estate. */
export const asRole = (role: Role): Pick<Caller, 'role' | 'roleId' | 'rights' | 'part' | 'assignment'> => ({
	role,
	roleId: role,
	rights: rightsOf(role),
	part: null,
	assignment: null
});
