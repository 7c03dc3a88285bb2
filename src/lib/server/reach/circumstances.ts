import type { Circumstances } from '$lib/core/reach/rules';
import type { SettingValue } from '$lib/core/settings/kinds';
import { isoDate, wallTime } from '$lib/core/time/zone';
import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import type { DirectoryPerson } from '../directory';
import { holidaysAt } from '../estate';
import { settingOf, settingOfAll } from '../settings';

/** The setting by which a screen locks by itself, after so long; never is no time. */
const LOCKS = 'lock.after';

/**
 * The circumstances in which people are as far as they are known at a moment: at the device that they were on last, or that is kept for them, in its
 * network, by the clock and the holidays of their site, on duty, and on no machine of ours.
 * @param only whoever alone is asked about
 */
export function circumstancesAt(
	db: Db,
	at: number,
	only?: DirectoryPerson
): (person: DirectoryPerson) => Circumstances {
	const one = only?.endpoint ?? null;
	const facts = new Map(
		only && one === null
			? []
			: all<{ id: number; firmware: string; branch: string | null }>(
					db,
					`SELECT f.endpoint_id AS id, f.firmware, s.branch_id AS branch FROM endpoint_facts f
					 LEFT JOIN endpoint_spots s ON s.endpoint_id = f.endpoint_id AND ${asOf('endpoint_spots s')}
					 WHERE ${one === null ? '' : 'f.endpoint_id = @one AND '}${asOf('endpoint_facts f')}`,
					{ at, one }
				).map((f) => [f.id, f])
	);
	const locks = new Map<number, SettingValue | undefined>(
		!only ? settingOfAll(db, LOCKS, at) : one === null ? [] : [[one, settingOf(db, one, LOCKS, at)]]
	);
	const minutes = new Map<string, number>();
	const minuteIn = (zone: string): number => {
		let minute = minutes.get(zone);
		if (minute === undefined) {
			const wall = wallTime(zone, at);
			minutes.set(zone, (minute = (wall.weekday - 1) * 1440 + wall.minute));
		}
		return minute;
	};
	const holidays = new Map([...holidaysAt(db, at)].map(([site, days]) => [site, new Set(days.map((d) => d.day))]));
	const days = new Map<string, string>();
	const dayIn = (zone: string): string => {
		let day = days.get(zone);
		if (day === undefined) days.set(zone, (day = isoDate(zone, at)));
		return day;
	};
	return (person) => {
		const known = person.endpoint === null ? undefined : facts.get(person.endpoint);
		const managed = person.device.certificate === 'good';
		return {
			pool: null,
			address: person.address || null,
			managed,
			branch: known?.branch ?? null,
			firmware: known?.firmware || null,
			locks: managed && person.endpoint !== null && typeof locks.get(person.endpoint) === 'number',
			minute: minuteIn(person.zone),
			onDuty: true,
			holiday: holidays.get(person.site)?.has(dayIn(person.zone)) ?? false,
			way: 'device'
		};
	};
}
