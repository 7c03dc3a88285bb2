import rrule from 'rrule';
import { MINUTE } from './units';
import { momentOf, wallTime } from './zone';

// The package is CommonJS: its parts hang on the default export.
const { RRule } = rrule;

/** Something that comes back: an RFC 5545 rule, from a first time on, in the wall clock of a zone. */
export interface Recurrence {
	/** Such as `FREQ=MONTHLY;BYDAY=2TU`. */
	rule: string;
	/** Local time of the first occurrence: `2026-12-08T22:00`. */
	begins: string;
	zone: string;
}

const LOCAL = /^(\d{4})-(\d{2})-(\d{2})T(\d{2}):(\d{2})$/;

/** The local time as the rule library counts it: the wall clock's figures as if they were UTC. */
function floating(begins: string): Date | null {
	const m = LOCAL.exec(begins);
	if (!m) return null;
	const [year, month, day, hour, minute] = m.slice(1).map(Number) as [number, number, number, number, number];
	const d = new Date(Date.UTC(year, month - 1, day, hour, minute));
	return d.getUTCMonth() === month - 1 && d.getUTCDate() === day && hour < 24 && minute < 60 ? d : null;
}

const KNOWN = new Set(['FREQ', 'INTERVAL', 'COUNT', 'UNTIL', 'BYDAY', 'BYMONTHDAY', 'BYMONTH', 'BYSETPOS', 'WKST']);

/** What is wrong with a recurrence, by field; empty when nothing is. Rules may be daily, weekly, monthly or yearly. */
export function recurrenceProblems(r: Recurrence): { field: 'rule' | 'begins'; words: string }[] {
	const problems: { field: 'rule' | 'begins'; words: string }[] = [];
	if (!floating(r.begins))
		problems.push({ field: 'begins', words: 'Write a day and a time such as 2026-12-08T22:00.' });
	const parts = r.rule.split(';').map((p) => p.split('='));
	const unknown = parts.find(([key, value]) => !KNOWN.has(key ?? '') || !value);
	if (unknown)
		problems.push({
			field: 'rule',
			words: `The rule knows no “${unknown.join('=')}”; write a rule of RFC 5545 such as FREQ=MONTHLY;BYDAY=2TU.`
		});
	else if (!/^(DAILY|WEEKLY|MONTHLY|YEARLY)$/.test(parts.find(([key]) => key === 'FREQ')?.[1] ?? ''))
		problems.push({ field: 'rule', words: 'FREQ is DAILY, WEEKLY, MONTHLY or YEARLY.' });
	else
		try {
			RRule.parseString(r.rule);
		} catch (e) {
			problems.push({
				field: 'rule',
				words: `The rule cannot be read: ${e instanceof Error ? e.message : String(e)}.`
			});
		}
	if (problems.length === 0 && ruleOf(r).after(new Date(floating(r.begins)!.getTime() - 1), true) === null)
		problems.push({ field: 'rule', words: 'The rule names no day at all.' });
	return problems;
}

const ruleOf = (r: Recurrence) => new RRule({ ...RRule.parseString(r.rule), dtstart: floating(r.begins)! });

/** Moments (ms UTC) at which it is due within (after, until], at most `limit`. A time that a clock change skips is due just after it. */
export function occurrences(r: Recurrence, after: number, until: number, limit = 500): number[] {
	const offsetDay = 26 * 60 * MINUTE;
	const found: number[] = [];
	for (const d of ruleOf(r).between(new Date(after - offsetDay), new Date(until + offsetDay), true)) {
		const at = momentFrom(r.zone, d);
		if (at > after && at <= until) found.push(at);
		if (found.length >= limit) break;
	}
	return found;
}

const momentFrom = (zone: string, d: Date) => {
	const day = Math.floor(d.getTime() / 86_400_000);
	return momentOf(zone, day, Math.round((d.getTime() - day * 86_400_000) / MINUTE));
};

/** Times of the next two years that the clock of the zone skips, as local days with the time that is taken instead. */
export function skippedTimes(r: Recurrence, now: number): { day: string; instead: string }[] {
	const skipped: { day: string; instead: string }[] = [];
	for (const d of ruleOf(r).between(new Date(now), new Date(now + 2 * 366 * 86_400_000), true)) {
		const at = momentFrom(r.zone, d);
		const wall = wallTime(r.zone, at);
		const wanted = Math.round((d.getTime() % 86_400_000) / MINUTE);
		if (wall.minute !== wanted)
			skipped.push({
				day: d.toISOString().slice(0, 10),
				instead: `${String(Math.floor(wall.minute / 60)).padStart(2, '0')}:${String(wall.minute % 60).padStart(2, '0')}`
			});
	}
	return skipped;
}

/** The rule in words: `every month on the 2nd Tuesday at 22:00`. */
export function recurrenceWords(r: Recurrence): string {
	return `${ruleOf(r).toText()} at ${r.begins.slice(11)}, ${r.zone}`;
}
