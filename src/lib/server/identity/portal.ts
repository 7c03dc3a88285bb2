import { putSetting, setting, type Db } from '../db';

/** Where people reach the portal, as it was set; else as Sextant was started. */
export const PORTAL_ADDRESS = 'portal address';
export const SERVED_AT = 'served at';

/** The address under which people reach the portal, without a slash at its end; null where it is not known. */
export const addressOfPortal = (db: Db): string | null => setting(db, PORTAL_ADDRESS) || setting(db, SERVED_AT) || null;

/** How people may sign in to the portal. */
export interface SignInPolicy {
	/** Whether passkeys are taken. */
	passkeys: boolean;
	/** A device that somebody calls their own stays signed in for so many days without use; 0: none does. */
	ownDays: number;
	/** Kinds of employment whose people may call a device their own; none: everybody. */
	ownFor: string[];
}
export const USUAL_SIGN_IN: SignInPolicy = { passkeys: true, ownDays: 0, ownFor: [] };

/** How people may sign in, as it is set. */
export const signInPolicy = (db: Db): SignInPolicy => ({
	passkeys: setting(db, 'portal passkeys') !== 'no',
	ownDays: Number(setting(db, 'portal own days') ?? USUAL_SIGN_IN.ownDays),
	ownFor: (setting(db, 'portal own for') ?? '').split('\n').filter(Boolean)
});

/** Writes down how people may sign in; within a transaction. */
export function setSignInPolicy(db: Db, policy: SignInPolicy): void {
	putSetting(db, 'portal passkeys', policy.passkeys ? 'yes' : 'no');
	putSetting(db, 'portal own days', String(policy.ownDays));
	putSetting(db, 'portal own for', policy.ownFor.join('\n'));
}
