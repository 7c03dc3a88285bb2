import { wallTime } from './zone';

/** A calendar of working time, read on the wall clock of a site. */
export interface Hours {
	/** 1 Monday … 7 Sunday. */
	days: number[];
	/** Minutes from local midnight; `until` below `from` runs past midnight into the next day. */
	from: number;
	until: number;
}

/** Whether `at` lies in the hours, read in `zone`. The start counts in, the end does not. */
export function inHours(hours: Hours, zone: string, at: number): boolean {
	const { weekday, minute } = wallTime(zone, at);
	return inWeek(hours, weekday, minute);
}

/** Whether a minute of a day lies in the hours; `weekday` 1 Monday … 7 Sunday, `minute` from local midnight. */
export function inWeek(hours: Hours, weekday: number, minute: number): boolean {
	if (hours.from === hours.until) return hours.days.includes(weekday);
	if (hours.from < hours.until) return hours.days.includes(weekday) && minute >= hours.from && minute < hours.until;
	const yesterday = weekday === 1 ? 7 : weekday - 1;
	return (
		(hours.days.includes(weekday) && minute >= hours.from) || (hours.days.includes(yesterday) && minute < hours.until)
	);
}

const DAY_NAMES = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

/** `Mon–Fri`; days that do not run together are listed. */
export function daysWords(days: readonly number[]): string {
	const sorted = [...days].sort();
	const runs = sorted.length > 2 && sorted.at(-1)! - sorted[0]! === sorted.length - 1;
	return runs
		? `${DAY_NAMES[sorted[0]! - 1]}–${DAY_NAMES[sorted.at(-1)! - 1]}`
		: sorted.map((d) => DAY_NAMES[d - 1]).join(', ');
}

/** `Mon–Fri 06:30–17:30`. */
export function hoursWords(hours: Hours): string {
	const names = daysWords(hours.days);
	return hours.from === hours.until
		? `${names}, all day`
		: `${names} ${timeOfDay(hours.from)}–${timeOfDay(hours.until)}`;
}

/** `06:30` as minutes from midnight; `24:00` is allowed. Null when it is not a time of day. */
export function parseClock(text: string): number | null {
	const match = /^(\d{1,2}):(\d{2})$/.exec(text.trim());
	if (!match) return null;
	const minutes = Number(match[1]) * 60 + Number(match[2]);
	return Number(match[2]) < 60 && minutes <= 1440 ? minutes : null;
}

/** `06:30`, of minutes from midnight. */
export const timeOfDay = (minutes: number): string =>
	`${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;

/** Reads `Mon-Fri`, `Mon,Wed,Sun` or `daily` as weekday numbers. Null when a name is unknown. */
export function parseDays(text: string): number[] | null {
	if (/^(daily|every day)$/i.test(text.trim())) return [1, 2, 3, 4, 5, 6, 7];
	const days = new Set<number>();
	for (const part of text.split(',')) {
		const [first, last = first] = part
			.split(/[-–]/)
			.map((name) => DAY_NAMES.findIndex((d) => d.toLowerCase() === name.trim().toLowerCase()));
		if (first === undefined || first < 0 || last! < 0) return null;
		for (let d = first; ; d = (d + 1) % 7) {
			days.add(d + 1);
			if (d === last) break;
		}
	}
	return [...days].sort();
}
