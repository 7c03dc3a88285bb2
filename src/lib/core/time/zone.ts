import { DateTime } from 'luxon';
import { HOUR } from './units';

/** Minutes east of UTC in a zone, looked up once per zone and hour: zone rules only change on the hour here. */
const offsets = new Map<string, number>();

/** Offset of `zone` from UTC at `at`, in milliseconds. Throws RangeError for an unknown zone. */
export function offsetAt(zone: string, at: number): number {
	const key = `${zone}/${Math.floor(at / HOUR)}`;
	let offset = offsets.get(key);
	if (offset === undefined) {
		const local = DateTime.fromMillis(at, { zone });
		if (!local.isValid) throw new RangeError(`unknown time zone ${zone}`);
		offset = local.offset * 60_000;
		if (offsets.size > 50_000) offsets.clear();
		offsets.set(key, offset);
	}
	return offset;
}

/** What the clock on the wall says. Weekday 1 is Monday, 7 Sunday; minute counts from local midnight. */
export interface WallTime {
	weekday: number;
	minute: number;
	/** Days since 1970-01-01 in local time: names a local day. */
	day: number;
}

/** The wall time in `zone` at `at`. */
export function wallTime(zone: string, at: number): WallTime {
	const local = at + offsetAt(zone, at);
	const day = Math.floor(local / 86_400_000);
	return { day, minute: Math.floor((local - day * 86_400_000) / 60_000), weekday: ((day + 3) % 7) + 1 };
}

/**
 * The moment at which a wall clock in `zone` shows `minute` of local day `day`. Where the clock jumps over
 * that minute, the moment just after the jump; where it shows it twice, the first.
 */
export function momentOf(zone: string, day: number, minute: number): number {
	const naive = day * 86_400_000 + minute * 60_000;
	const first = naive - offsetAt(zone, naive - 12 * HOUR);
	const second = naive - offsetAt(zone, first);
	return second + offsetAt(zone, second) === naive
		? Math.min(first, second) === second
			? second
			: pickFirst(zone, naive, first, second)
		: Math.max(first, second);
}

function pickFirst(zone: string, naive: number, first: number, second: number): number {
	return first + offsetAt(zone, first) === naive ? first : second;
}

/** `14:32` in the zone. */
export const clockWords = (zone: string, at: number): string => DateTime.fromMillis(at, { zone }).toFormat('HH:mm');

/** `Tue 17 Nov 14:32` in the zone. */
export const momentWords = (zone: string, at: number): string =>
	DateTime.fromMillis(at, { zone }).toFormat('ccc d LLL HH:mm');

/** `17 Nov 2026` in the zone. */
export const dateWords = (zone: string, at: number): string => DateTime.fromMillis(at, { zone }).toFormat('d LLL yyyy');

/** `2026-11-17`: the day in the zone. */
export const isoDate = (zone: string, at: number): string =>
	new Date(at + offsetAt(zone, at)).toISOString().slice(0, 10);

/** `17 Nov 2026` for a day written `2026-11-17`. */
export const isoWords = (day: string): string => DateTime.fromISO(day, { zone: 'utc' }).toFormat('d LLL yyyy');

/** `Tue 17 Nov` in the zone. */
export const dayWords = (zone: string, at: number): string => DateTime.fromMillis(at, { zone }).toFormat('ccc d LLL');

/** True when the runtime knows the zone. */
export function knowsZone(zone: string): boolean {
	return DateTime.fromMillis(0, { zone }).isValid;
}
