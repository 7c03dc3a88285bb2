import { setting, type Db } from '../db';

/** Where people reach the portal, as it was set; else as Sextant was started. */
export const PORTAL_ADDRESS = 'portal address';
export const SERVED_AT = 'served at';

/** The address under which people reach the portal, without a slash at its end; null where it is not known. */
export const addressOfPortal = (db: Db): string | null => setting(db, PORTAL_ADDRESS) || setting(db, SERVED_AT) || null;
