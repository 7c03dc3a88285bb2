import { DateTime } from 'luxon';

/**
 * Days and moments as people write them and as forms show them: `Tue 17 Nov 2026`, `Tue 17 Nov 2026 14:30`. What is kept is the ISO 8601
 * form without a zone (`2026-11-17`, `2026-11-17T14:30`): the zone stands beside the field.
 */

const WITH_YEAR = ['ccc d LLL yyyy', 'd LLL yyyy', 'cccc d LLLL yyyy', 'd LLLL yyyy', 'd.L.yyyy', 'd/L/yyyy'];
const WITHOUT = ['ccc d LLL', 'd LLL', 'cccc d LLLL', 'd LLLL', 'd.L.', 'd/L'];
const WEEKDAYS = ['ccc', 'cccc'];
const ENGLISH = { locale: 'en-GB', zone: 'utc' } as const;

/**
 * A day as somebody wrote it: ISO, with or without year and weekday, `today`, `tomorrow`, or a weekday alone, which is the next one.
 * A day without a year is the first such from `today` on. Null for anything else, and for a weekday that its day does not fall on.
 * @param today the day that it is, as `2026-11-17`
 */
export function readDay(text: string, today: string): string | null {
	const words = text.trim().replace(/,/g, ' ').replace(/\s+/g, ' ');
	const from = DateTime.fromISO(today, ENGLISH);
	const iso = (d: DateTime) => d.toISODate();
	if (/^\d{4}-\d\d-\d\d$/.test(words)) {
		const d = DateTime.fromISO(words, ENGLISH);
		return d.isValid ? iso(d) : null;
	}
	if (/^today$/i.test(words)) return iso(from);
	if (/^tomorrow$/i.test(words)) return iso(from.plus({ days: 1 }));
	for (const format of WITH_YEAR) {
		const d = DateTime.fromFormat(words, format, ENGLISH);
		if (d.isValid) return iso(d);
	}
	for (const year of [from.year, from.year + 1])
		for (const format of WITHOUT) {
			const d = DateTime.fromFormat(`${words} ${year}`, `${format} yyyy`, ENGLISH);
			if (d.isValid && d >= from) return iso(d);
		}
	for (const format of WEEKDAYS) {
		const d = DateTime.fromFormat(words, format, ENGLISH);
		if (d.isValid) return iso(from.plus({ days: ((d.weekday - from.weekday + 6) % 7) + 1 }));
	}
	return null;
}

/**
 * A moment as somebody wrote it: a day, as `readDay` takes it, and a time of day of 24 hours; a time alone is its next coming.
 * @param now the moment that it is, as `2026-11-17T14:30`
 */
export function readMoment(text: string, now: string): string | null {
	// The time is the last word; in an ISO moment it stands behind a T.
	const words = text
		.trim()
		.replace(/\bat\b/i, '')
		.replace(/(\d)T(\d)/, '$1 $2')
		.split(/\s+/);
	const found = /^(\d{1,2})[:.](\d\d)$/.exec(words.pop() ?? '');
	if (!found) return null;
	const [, hour, minute] = found;
	const day = words.join(' ');
	if (Number(hour) > 23 || Number(minute) > 59) return null;
	const time = `${hour!.padStart(2, '0')}:${minute}`;
	const [today, clock] = now.split('T') as [string, string];
	if (day === '') {
		const next = time > clock.slice(0, 5) ? today : readDay('tomorrow', today)!;
		return `${next}T${time}`;
	}
	const read = readDay(day, today);
	return read === null ? null : `${read}T${time}`;
}

/** A day as a form shows it; what is no day is left as it is. */
export function dayText(day: string): string {
	const d = DateTime.fromISO(day, ENGLISH);
	return d.isValid ? d.toFormat('ccc d LLL yyyy') : day;
}

/** A moment as a form shows it; what is no moment is left as it is. */
export function momentText(moment: string): string {
	const d = DateTime.fromISO(moment, ENGLISH);
	return d.isValid ? d.toFormat('ccc d LLL yyyy HH:mm') : moment;
}

/** The moment that it is in a zone, as a form keeps it; in UTC while the zone is none, as one that is half typed. */
export function localMoment(zone: string, at: number): string {
	const there = DateTime.fromMillis(at, { zone });
	return (there.isValid ? there : DateTime.fromMillis(at, ENGLISH)).toFormat("yyyy-MM-dd'T'HH:mm");
}

/** A form's moment in a zone as ms UTC; null for what is no moment. */
export function instantOf(moment: string, zone: string): number | null {
	const d = DateTime.fromISO(moment, { zone });
	return d.isValid ? d.toMillis() : null;
}
