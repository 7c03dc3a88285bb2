import * as v from 'valibot';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { putSetting, setting, type Db } from '../db';

/** How operators sign in. */
export interface StaffPolicy {
	/** Roles, by id, in which nobody acts who has not shown a second factor at this sign-in. */
	factorFor: string[];
	/** A sign-in ends after so long without use, and after so long in any case: ms of the wall. */
	idle: number;
	most: number;
}

export const USUAL_STAFF: StaffPolicy = { factorFor: [], idle: 8 * HOUR, most: 120 * HOUR };
/** What the limits may be, ms. */
export const STAFF_LIMITS = { idle: { least: 5 * MINUTE, most: 24 * HOUR }, most: { least: HOUR, most: 720 * HOUR } };

const SETTING = 'staff sign-in';
const schema = v.object({ factorFor: v.array(v.string()), idle: v.number(), most: v.number() });

/** How operators sign in, as it is set. Where what is kept cannot be read, as is usual, and for nobody longer. */
export function staffPolicy(db: Db): StaffPolicy {
	const text = setting(db, SETTING);
	if (text === null) return USUAL_STAFF;
	try {
		return v.parse(schema, JSON.parse(text));
	} catch {
		return USUAL_STAFF;
	}
}

/** Writes down how operators sign in; within a transaction. */
export const setStaffPolicy = (db: Db, policy: StaffPolicy): void => putSetting(db, SETTING, JSON.stringify(policy));
