import type { Circumstances } from '$lib/core/reach/rules';
import { one, type Db } from '../db';
import { asOf } from '../db/intervals';
import type { DirectoryPerson } from '../directory';
import { settingOf } from '../settings';

/** The setting by which a screen locks by itself, after so long; never is no time. */
const LOCKS = 'lock.after';

/** What the device proves that somebody was on last, or that is kept for them. */
export function deviceOf(
	db: Db,
	person: DirectoryPerson,
	at: number
): Pick<Circumstances, 'managed' | 'branch' | 'firmware' | 'locks'> {
	const known =
		person.endpoint === null
			? undefined
			: one<{ firmware: string; branch: string | null }>(
					db,
					`SELECT f.firmware, s.branch_id AS branch FROM endpoint_facts f
					 LEFT JOIN endpoint_spots s ON s.endpoint_id = f.endpoint_id AND ${asOf('endpoint_spots s')}
					 WHERE f.endpoint_id = @endpoint AND ${asOf('endpoint_facts f')}`,
					{ at, endpoint: person.endpoint }
				);
	return {
		managed: person.device.certificate === 'good',
		branch: known?.branch ?? null,
		firmware: known?.firmware || null,
		locks:
			person.device.certificate === 'good' &&
			person.endpoint !== null &&
			typeof settingOf(db, person.endpoint, LOCKS, at) === 'number'
	};
}
