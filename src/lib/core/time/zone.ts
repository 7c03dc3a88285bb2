import { DateTime } from 'luxon';

const DAY_MS = 86_400_000;
const MINUTE_MS = 60_000;

/** Offsets of a zone within a UTC day: from each moment on, ms. Rules change at any minute: half past three, a quarter to three. */
type OffsetDay = { from: number; offset: number }[];
const days = new Map<string, Map<number, OffsetDay>>();
/** So many days are kept for a zone. */
const KEPT = 3000;

function look(zone: string, at: number): number {
	const local = DateTime.fromMillis(at, { zone });
	if (!local.isValid)
		throw new RangeError(
			Number.isNaN(local.toMillis()) && knowsZone(zone) ? `no such moment: ${at}` : `unknown time zone ${zone}`
		);
	return local.offset * MINUTE_MS;
}

function offsetsOf(zone: string, day: number): OffsetDay {
	let known = days.get(zone);
	if (!known) days.set(zone, (known = new Map()));
	let list = known.get(day);
	if (list) return list;
	list = [];
	// Twelve looks find every change there is; halving finds its minute.
	for (let at = day * DAY_MS; at < (day + 1) * DAY_MS; at += DAY_MS / 12) {
		const offset = look(zone, at);
		const last = list.at(-1);
		if (!last) list.push({ from: at, offset });
		else if (last.offset !== offset)
			list.push({ from: changeBetween(zone, at - DAY_MS / 12, at, last.offset), offset });
	}
	const end = (day + 1) * DAY_MS - MINUTE_MS;
	const last = list.at(-1)!;
	const offset = look(zone, end);
	if (offset !== last.offset) list.push({ from: changeBetween(zone, end - DAY_MS / 12, end, last.offset), offset });
	if (known.size >= KEPT) known.clear();
	known.set(day, list);
	return list;
}

/** The first minute after `before` at which the offset is another; at `after` it is. */
function changeBetween(zone: string, before: number, after: number, offset: number): number {
	let [low, high] = [before / MINUTE_MS, after / MINUTE_MS];
	while (high - low > 1) {
		const middle = Math.floor((low + high) / 2);
		if (look(zone, middle * MINUTE_MS) === offset) low = middle;
		else high = middle;
	}
	return high * MINUTE_MS;
}

/** Offset of `zone` from UTC at `at`, in milliseconds. Throws RangeError for an unknown zone or a moment that no date can hold. */
export function offsetAt(zone: string, at: number): number {
	const list = offsetsOf(zone, Math.floor(at / DAY_MS));
	let offset = list[0]!.offset;
	for (let i = 1; i < list.length && at >= list[i]!.from; i++) offset = list[i]!.offset;
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
 * that minute, the moment that it would have been without the jump; where it shows it twice, the first.
 */
export function momentOf(zone: string, day: number, minute: number): number {
	const naive = day * DAY_MS + minute * MINUTE_MS;
	// No offset is a day: before and after, the wall clock shows what comes before and after.
	const before = offsetAt(zone, naive - DAY_MS);
	const after = offsetAt(zone, naive + DAY_MS);
	const shows = (at: number) => at + offsetAt(zone, at) === naive;
	const [first, second] = [naive - Math.max(before, after), naive - Math.min(before, after)];
	if (shows(first)) return first;
	if (shows(second)) return second;
	// Two changes within two days, as there have been: whatever offset holds around there.
	for (const { offset } of [...offsetsOf(zone, day - 1), ...offsetsOf(zone, day), ...offsetsOf(zone, day + 1)])
		if (shows(naive - offset)) return naive - offset;
	return naive - before;
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
