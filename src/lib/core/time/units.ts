/** Durations are milliseconds, sizes bytes, money integer cents; this file turns them into words and back. */
export const SECOND = 1000;
export const MINUTE = 60 * SECOND;
export const HOUR = 60 * MINUTE;
export const DAY = 24 * HOUR;

export const KB = 1000;
export const MB = 1000 * KB;
export const GB = 1000 * MB;
export const TB = 1000 * GB;

/** The end of an interval that has not ended: larger than any time, exact in SQLite and JavaScript alike. */
export const FOREVER = 9007199254740991;

const DURATION_UNITS: Record<string, number> = {
	ms: 1,
	s: SECOND,
	sec: SECOND,
	m: MINUTE,
	min: MINUTE,
	h: HOUR,
	d: DAY,
	days: DAY,
	day: DAY
};

/**
 * Milliseconds of a duration written by a person: `90s`, `25 min`, `3 h 30 min`, `14 d`.
 * Null when it is not one: an unknown unit, a bare number, or a leftover word.
 */
export function parseDuration(text: string): number | null {
	let total = 0;
	let rest = text.trim();
	if (rest === '' || rest.length > 100) return null;
	while (rest !== '') {
		const part = /^(\d+(?:\.\d+)?)\s*([a-z]+)\s*/i.exec(rest);
		const name = part?.[2]!.toLowerCase() ?? '';
		const unit = Object.hasOwn(DURATION_UNITS, name) ? DURATION_UNITS[name] : undefined;
		if (!part || unit === undefined) return null;
		total += Number(part[1]) * unit;
		rest = rest.slice(part[0].length);
	}
	return Number.isFinite(total) ? Math.round(total) : null;
}

const SIZE_UNITS: Record<string, number> = { B: 1, KB, MB, GB, TB };

/** Bytes of a size written by a person: `42 GB`, `1.5TB`; decimal units. Null when it is not one. */
export function parseSize(text: string): number | null {
	const match = text.length > 100 ? null : /^\s*(\d+(?:\.\d+)?)\s*([KMGT]?B)\s*$/i.exec(text);
	return match ? Math.round(Number(match[1]) * SIZE_UNITS[match[2]!.toUpperCase()]!) : null;
}

/** A duration in the two largest units that matter: `850 ms`, `4.2 s`, `6 min 10 s`, `2 h 21 min`, `3 d 4 h`. */
export function durationWords(ms: number): string {
	if (ms < 0) return `−${durationWords(-ms)}`;
	if (ms < SECOND) return `${Math.round(ms)} ms`;
	if (ms < 10 * SECOND) return `${(ms / SECOND).toFixed(1).replace(/\.0$/, '')} s`;
	if (ms < MINUTE - 500) return `${Math.round(ms / SECOND)} s`;
	if (ms < HOUR - 30 * SECOND) return pair(ms, MINUTE, 'min', SECOND, 's', ms < 10 * MINUTE);
	if (ms < 2 * DAY) return pair(ms, HOUR, 'h', MINUTE, 'min', true);
	return pair(ms, DAY, 'd', HOUR, 'h', true);
}

function pair(ms: number, big: number, bigName: string, small: number, smallName: string, both: boolean): string {
	const smalls = Math.round(ms / small);
	const perBig = big / small;
	if (!both) return `${Math.round(ms / big)} ${bigName}`;
	const rest = smalls % perBig;
	return `${Math.floor(smalls / perBig)} ${bigName}${rest ? ` ${rest} ${smallName}` : ''}`;
}

/** A size with three significant figures: `42 GB`, `6.4 GB`, `950 MB`. */
export function sizeWords(bytes: number): string {
	for (const [name, unit] of [
		['TB', TB],
		['GB', GB],
		['MB', MB],
		['KB', KB]
	] as const) {
		if (Math.abs(bytes) >= unit) {
			const n = bytes / unit;
			return `${Math.abs(n) >= 100 ? Math.round(n) : Number(n.toPrecision(n >= 10 ? 3 : 2))} ${name}`;
		}
	}
	return `${Math.round(bytes)} B`;
}

/** Whole currency units with thousands grouped, cents when under ten: `€ 3,140`, `€ 0.51`. */
export function moneyWords(cents: number, symbol = '€'): string {
	const value = Math.abs(cents) / 100;
	const digits = value < 10 ? value.toFixed(2) : Math.round(value).toLocaleString('en-GB');
	return `${cents < 0 ? '−' : ''}${symbol} ${digits}`;
}

/** `1,204`. */
export const numberWords = (n: number): string =>
	// Most numbers are small counts, and no other is written as often.
	Number.isInteger(n) && n >= 0 && n < 1000 ? String(n) : WORDED.format(n);
const WORDED = new Intl.NumberFormat('en-GB');

/** `1 person`, `2 people`; `1 machine`, `1,204 machines`. */
export function countWords(n: number, one: string, many = `${one}s`): string {
	return `${numberWords(n)} ${n === 1 ? one : many}`;
}
