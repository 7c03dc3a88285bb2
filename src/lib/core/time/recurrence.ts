import rrule from 'rrule';
import { daysOf, readRule, type Rule } from './rule';
import { momentOf, wallTime } from './zone';

// The package is CommonJS: its parts hang on the default export. It puts rules into words; which days they name is worked out in `rule.ts`.
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
/** The first and the last year in which something may begin. */
const YEARS = [2000, 2099] as const;
const DAY_MS = 86_400_000;
/** A rule that names no day for so long names none: years of leap days stand eight apart at most. */
const NEVER = 100 * 366;

/** The local day and minute of the first time; null where there is no such time. */
function beginning(begins: string): { day: number; minute: number } | null {
	const m = LOCAL.exec(begins);
	if (!m) return null;
	const [year, month, day, hour, minute] = m.slice(1).map(Number) as [number, number, number, number, number];
	if (year < YEARS[0] || year > YEARS[1] || hour > 23 || minute > 59) return null;
	const d = new Date(Date.UTC(year, month - 1, day));
	return d.getUTCMonth() === month - 1 && d.getUTCDate() === day
		? { day: d.getTime() / DAY_MS, minute: hour * 60 + minute }
		: null;
}

/** What is wrong with a recurrence, by field; empty when nothing is. Rules may be daily, weekly, monthly or yearly. */
export function recurrenceProblems(r: Recurrence): { field: 'rule' | 'begins'; words: string }[] {
	const problems: { field: 'rule' | 'begins'; words: string }[] = [];
	const first = beginning(r.begins);
	if (!first)
		problems.push({
			field: 'begins',
			words: `Write a day and a time such as 2026-12-08T22:00, from the year ${YEARS[0]} to ${YEARS[1]}.`
		});
	const rule = readRule(r.rule);
	if ('wrong' in rule) problems.push({ field: 'rule', words: rule.wrong });
	else if (first && daysOf(rule, first.day, first.day, first.day + NEVER).next().done === true)
		problems.push({ field: 'rule', words: 'The rule names no day at all.' });
	return problems;
}

/** The local days and minute at which it is due, within a span of moments and a day around it. */
function* due(r: Recurrence, after: number, until: number): Generator<{ day: number; minute: number; at: number }> {
	const rule = readRule(r.rule);
	const first = beginning(r.begins);
	if ('wrong' in rule || !first) return;
	const [from, to] = [Math.floor(after / DAY_MS) - 1, Math.floor(Math.min(until, after + NEVER * DAY_MS) / DAY_MS) + 1];
	for (const day of daysOf(rule, first.day, from, to)) {
		const at = momentOf(r.zone, day, first.minute);
		if (isOver(rule, day * DAY_MS + first.minute * 60_000, at)) return;
		yield { day, minute: first.minute, at };
	}
}

const isOver = (rule: Rule, local: number, at: number): boolean =>
	rule.until !== null && ('utc' in rule.until ? at > rule.until.utc : local > rule.until.local);

/**
 * Moments (ms UTC) at which it is due within (after, until], at most `limit`. A time that a clock change skips is due just after it, one
 * that comes twice at the first (RFC 5545, section 3.3.5). A rule that cannot be read is never due.
 */
export function occurrences(r: Recurrence, after: number, until: number, limit = 500): number[] {
	const found: number[] = [];
	for (const { at } of due(r, after, until)) {
		if (at > after && at <= until) found.push(at);
		if (found.length >= limit) break;
	}
	return found;
}

/** Times of the next two years that the clock of the zone skips, as local days with the time that is taken instead. */
export function skippedTimes(r: Recurrence, now: number): { day: string; instead: string }[] {
	const skipped: { day: string; instead: string }[] = [];
	for (const { day, minute, at } of due(r, now, now + 2 * 366 * DAY_MS)) {
		const wall = wallTime(r.zone, at);
		if (wall.minute !== minute)
			skipped.push({
				day: new Date(day * DAY_MS).toISOString().slice(0, 10),
				instead: `${String(Math.floor(wall.minute / 60)).padStart(2, '0')}:${String(wall.minute % 60).padStart(2, '0')}`
			});
	}
	return skipped;
}

/** The rule in words: `every month on the 2nd Tuesday at 22:00`. */
export function recurrenceWords(r: Recurrence): string {
	const rule = readRule(r.rule);
	const words = 'wrong' in rule ? 'by a rule that cannot be read,' : RRule.fromString(r.rule).toText();
	return `${words} at ${r.begins.slice(11)}, ${r.zone}`;
}
