/**
 * Recurrence rules as RFC 5545, section 3.3.10, has them, for what comes back on days: FREQ of DAILY, WEEKLY, MONTHLY or YEARLY with
 * INTERVAL, COUNT, UNTIL, BYDAY, BYMONTHDAY, BYMONTH, BYSETPOS and WKST. Days are counted period by period, beginning with the one that is
 * asked about, so that the work is bounded by the span that is asked about, whatever the rule: one that names no day ends as soon as
 * any other.
 */
export interface Rule {
	freq: 'DAILY' | 'WEEKLY' | 'MONTHLY' | 'YEARLY';
	interval: number;
	count: number | null;
	/** The last moment, ms UTC, or the last local time, as ms of the wall clock's figures taken for UTC. */
	until: { utc: number } | { local: number } | null;
	byDay: { weekday: number; nth: number }[];
	byMonthDay: number[];
	byMonth: number[];
	bySetPos: number[];
	/** First day of the week, 1 Monday. */
	weekStart: number;
}

/** Bounds of what may be written. */
export const RULE_LIMITS = { text: 300, interval: 1000, count: 5000, list: 62 } as const;

const WEEKDAYS = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'];
const DAY_MS = 86_400_000;

/** Reads a rule, or says what is wrong with it. */
export function readRule(text: string): Rule | { wrong: string } {
	if (text.length > RULE_LIMITS.text) return { wrong: `A rule has at most ${RULE_LIMITS.text} characters.` };
	const parts = new Map<string, string>();
	for (const part of text.split(';')) {
		const cut = part.indexOf('=');
		const [key, value] = [part.slice(0, cut).toUpperCase(), part.slice(cut + 1).toUpperCase()];
		if (cut < 1 || value === '' || !KNOWN.has(key))
			return { wrong: `The rule knows no “${part}”; write a rule of RFC 5545 such as FREQ=MONTHLY;BYDAY=2TU.` };
		if (parts.has(key)) return { wrong: `${key} stands twice.` };
		parts.set(key, value);
	}
	const freq = parts.get('FREQ');
	if (freq !== 'DAILY' && freq !== 'WEEKLY' && freq !== 'MONTHLY' && freq !== 'YEARLY')
		return { wrong: 'FREQ is DAILY, WEEKLY, MONTHLY or YEARLY.' };
	const number = (key: string, least: number, most: number): number | null => {
		const value = parts.get(key)!;
		return /^\d{1,6}$/.test(value) && Number(value) >= least && Number(value) <= most ? Number(value) : null;
	};
	const list = (key: string, most: number): number[] | null => {
		const values = parts.get(key)?.split(',') ?? [];
		return values.length <= RULE_LIMITS.list &&
			values.every((x) => /^[+-]?\d{1,3}$/.test(x) && Number(x) !== 0 && Math.abs(Number(x)) <= most)
			? values.map(Number)
			: null;
	};
	const interval = parts.has('INTERVAL') ? number('INTERVAL', 1, RULE_LIMITS.interval) : 1;
	if (interval === null) return { wrong: `INTERVAL is a whole number from 1 to ${RULE_LIMITS.interval}.` };
	const count = parts.has('COUNT') ? number('COUNT', 1, RULE_LIMITS.count) : null;
	if (parts.has('COUNT') && count === null) return { wrong: `COUNT is a whole number from 1 to ${RULE_LIMITS.count}.` };
	if (parts.has('COUNT') && parts.has('UNTIL')) return { wrong: 'A rule has COUNT or UNTIL, not both.' };
	const until = parts.has('UNTIL') ? untilOf(parts.get('UNTIL')!) : null;
	if (parts.has('UNTIL') && until === null)
		return { wrong: 'UNTIL is a day such as 20271231, or a time such as 20271231T215900Z.' };
	const byMonthDay = list('BYMONTHDAY', 31);
	if (byMonthDay === null) return { wrong: 'BYMONTHDAY lists days from 1 to 31, or −1 for the last.' };
	const byMonth = list('BYMONTH', 12);
	if (byMonth === null || byMonth.some((m) => m < 1)) return { wrong: 'BYMONTH lists months from 1 to 12.' };
	const bySetPos = list('BYSETPOS', 366);
	if (bySetPos === null) return { wrong: 'BYSETPOS lists positions from 1 to 366, or −1 for the last.' };
	const byDay: Rule['byDay'] = [];
	for (const text of parts
		.get('BYDAY')
		?.split(',')
		.slice(0, RULE_LIMITS.list + 1) ?? []) {
		const m = /^([+-]?\d{1,2})?(MO|TU|WE|TH|FR|SA|SU)$/.exec(text);
		const nth = Number(m?.[1] ?? 0);
		if (!m || (m[1] !== undefined && (nth === 0 || Math.abs(nth) > 53)) || byDay.length === RULE_LIMITS.list)
			return { wrong: 'BYDAY lists days such as MO, 2TU or -1FR.' };
		if (nth !== 0 && freq !== 'MONTHLY' && freq !== 'YEARLY')
			return { wrong: 'Which of the days of a month (2TU) can be said of MONTHLY and YEARLY alone.' };
		byDay.push({ weekday: WEEKDAYS.indexOf(m[2]!) + 1, nth });
	}
	if (freq === 'WEEKLY' && byMonthDay.length) return { wrong: 'BYMONTHDAY does not go with WEEKLY.' };
	if (bySetPos.length && !byDay.length && !byMonthDay.length && !byMonth.length)
		return { wrong: 'BYSETPOS chooses among days: name some with BYDAY, BYMONTHDAY or BYMONTH.' };
	const weekStart = parts.has('WKST') ? WEEKDAYS.indexOf(parts.get('WKST')!) + 1 : 1;
	if (weekStart === 0) return { wrong: 'WKST is a day such as MO.' };
	return { freq, interval, count, until, byDay, byMonthDay, byMonth, bySetPos, weekStart };
}

const KNOWN = new Set(['FREQ', 'INTERVAL', 'COUNT', 'UNTIL', 'BYDAY', 'BYMONTHDAY', 'BYMONTH', 'BYSETPOS', 'WKST']);

/** A day alone counts in whole; a time with Z is of UTC, one without of the wall clock. */
function untilOf(text: string): Rule['until'] {
	const m = /^(\d{4})(\d{2})(\d{2})(?:T(\d{2})(\d{2})(\d{2})(Z)?)?$/.exec(text);
	if (!m) return null;
	const [year, month, day] = [Number(m[1]), Number(m[2]), Number(m[3])];
	const midnight = Date.UTC(year, month - 1, day);
	const shown = new Date(midnight);
	if (shown.getUTCMonth() !== month - 1 || shown.getUTCDate() !== day || year < 1970) return null;
	if (m[4] === undefined) return { local: midnight + DAY_MS - 1 };
	const [hour, minute, second] = [Number(m[4]), Number(m[5]), Number(m[6])];
	if (hour > 23 || minute > 59 || second > 60) return null;
	const at = midnight + (hour * 3600 + minute * 60 + second) * 1000;
	return m[7] ? { utc: at } : { local: at };
}

/** Local days are counted since 1970-01-01, which was a Thursday. */
const weekdayOf = (day: number) => ((((day + 3) % 7) + 7) % 7) + 1;
const dateOf = (day: number) => {
	const d = new Date(day * DAY_MS);
	return { year: d.getUTCFullYear(), month: d.getUTCMonth() + 1, date: d.getUTCDate() };
};
const dayOf = (year: number, month: number, date: number) => Math.floor(Date.UTC(year, month - 1, date) / DAY_MS);
const lengthOf = (year: number, month: number) => new Date(Date.UTC(year, month, 0)).getUTCDate();

/**
 * The local days (since 1970-01-01) that a rule names, in order, from `from` on, up to and including `to`.
 * @param first the local day of the first occurrence: a rule of every second week counts from its week
 */
export function* daysOf(rule: Rule, first: number, from: number, to: number): Generator<number> {
	// With a count each occurrence has to be counted from the first one on.
	const begin = rule.count === null ? Math.max(first, from) : first;
	let left = rule.count ?? Infinity;
	for (let period = periodAt(rule, first, begin); ; period++) {
		const { start, days } = periodOf(rule, first, period);
		if (start > to) return;
		for (const day of days) {
			if (day < first) continue;
			if (left-- <= 0) return;
			if (day > to) return;
			if (day >= from) yield day;
		}
	}
}

/** The number of the period, counted in intervals from that of the first occurrence, that holds a day or comes next before it. */
function periodAt(rule: Rule, first: number, day: number): number {
	const [a, b] = [dateOf(first), dateOf(day)];
	const passed = {
		DAILY: () => day - first,
		WEEKLY: () => Math.floor((day - weekOf(first, rule)) / 7),
		MONTHLY: () => (b.year - a.year) * 12 + b.month - a.month,
		YEARLY: () => b.year - a.year
	}[rule.freq]();
	return Math.max(0, Math.floor(passed / rule.interval));
}

const weekOf = (day: number, rule: Rule) => day - ((weekdayOf(day) - rule.weekStart + 7) % 7);

/** A period's first day, and the days in it that the rule names. */
function periodOf(rule: Rule, first: number, period: number): { start: number; days: number[] } {
	const n = period * rule.interval;
	const a = dateOf(first);
	let start: number;
	let days: number[];
	switch (rule.freq) {
		case 'DAILY':
			start = first + n;
			days = [start].filter((d) => inMonth(rule, d) && onMonthDay(rule, d) && onWeekday(rule, d));
			break;
		case 'WEEKLY': {
			start = weekOf(first, rule) + n * 7;
			const wanted = rule.byDay.length ? rule.byDay.map((d) => d.weekday) : [weekdayOf(first)];
			days = [0, 1, 2, 3, 4, 5, 6]
				.map((i) => start + i)
				.filter((d) => wanted.includes(weekdayOf(d)) && inMonth(rule, d));
			break;
		}
		case 'MONTHLY': {
			const months = a.year * 12 + a.month - 1 + n;
			const [year, month] = [Math.floor(months / 12), (months % 12) + 1];
			start = dayOf(year, month, 1);
			days = rule.byMonth.length && !rule.byMonth.includes(month) ? [] : daysIn(rule, year, month, a.date);
			break;
		}
		case 'YEARLY': {
			const year = a.year + n;
			start = dayOf(year, 1, 1);
			days = daysOfYear(rule, year, a);
			break;
		}
	}
	if (rule.bySetPos.length) {
		const chosen = rule.bySetPos.map((p) => days[p > 0 ? p - 1 : days.length + p]);
		days = [...new Set(chosen.filter((d) => d !== undefined))].sort((x, y) => x - y);
	}
	return { start, days };
}

const inMonth = (rule: Rule, day: number) => !rule.byMonth.length || rule.byMonth.includes(dateOf(day).month);
const onWeekday = (rule: Rule, day: number) =>
	!rule.byDay.length || rule.byDay.some((d) => d.weekday === weekdayOf(day));
function onMonthDay(rule: Rule, day: number): boolean {
	if (!rule.byMonthDay.length) return true;
	const { year, month, date } = dateOf(day);
	return rule.byMonthDay.some((d) => date === (d > 0 ? d : lengthOf(year, month) + 1 + d));
}

/** The days of a month that BYDAY and BYMONTHDAY name; without either, that of the first occurrence. */
function daysIn(rule: Rule, year: number, month: number, date: number): number[] {
	const length = lengthOf(year, month);
	const start = dayOf(year, month, 1);
	const all = Array.from({ length }, (_v, i) => start + i);
	if (!rule.byDay.length && !rule.byMonthDay.length) return date <= length ? [start + date - 1] : [];
	return all.filter((d) => onMonthDay(rule, d) && (!rule.byDay.length || nthFits(rule, d, start, start + length - 1)));
}

/** Whether a day is one of those that BYDAY names within a span: any Tuesday, the second one, the last but one. */
function nthFits(rule: Rule, day: number, start: number, end: number): boolean {
	return rule.byDay.some(({ weekday, nth }) => {
		if (weekday !== weekdayOf(day)) return false;
		if (nth === 0) return true;
		return nth > 0 ? Math.floor((day - start) / 7) + 1 === nth : Math.floor((end - day) / 7) + 1 === -nth;
	});
}

function daysOfYear(rule: Rule, year: number, first: { month: number; date: number }): number[] {
	const months = rule.byMonth.length ? [...new Set(rule.byMonth)].sort((x, y) => x - y) : null;
	if (rule.byDay.length && !rule.byMonthDay.length && months === null) {
		const [start, end] = [dayOf(year, 1, 1), dayOf(year, 12, 31)];
		const days: number[] = [];
		for (let d = start; d <= end; d++) if (nthFits(rule, d, start, end)) days.push(d);
		return days;
	}
	const every = months ?? (rule.byMonthDay.length ? [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12] : [first.month]);
	return every.flatMap((month) => daysIn(rule, year, month, first.date));
}
