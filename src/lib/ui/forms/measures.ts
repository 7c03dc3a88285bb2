import { countWords, DAY, durationWords, parseDuration, parseSize, sizeWords } from '$lib/core/time/units';

/** Measures that forms ask for: how they are read as people type them, how they are shown, and what to write where they cannot be read. */
export interface Measure {
	read(text: string): number | null;
	words(value: number): string;
	problem: string;
}

/** So many digits at most: more are no measure of anything, and would be no whole number of bytes or ms. */
const plain = (text: string): number | null =>
	/^\d{1,6}([.,]\d{1,6})?$/.test(text) ? Number(text.replace(',', '.')) : null;

/** Ms. A number alone is minutes. */
export const SPAN: Measure = {
	read: (text) => {
		const minutes = plain(text);
		return minutes === null ? parseDuration(text) : Math.round(minutes * 60_000);
	},
	words: durationWords,
	problem: 'Write a duration such as 25 min or 3 h 30 min.'
};

/** Whole days. A number alone is days; `none` and 0 are none. */
export const DAYS: Measure = {
	read: (text) => {
		if (text === 'none') return 0;
		const days = plain(text) ?? (parseDuration(text) ?? Number.NaN) / DAY;
		return Number.isInteger(days) ? days : null;
	},
	words: (days) => (days === 0 ? 'none' : countWords(days, 'day')),
	problem: 'Write whole days, such as 14 days.'
};

/** Bytes. A number alone is gigabytes. */
export const SIZE: Measure = {
	read: (text) => {
		const gb = plain(text);
		return gb === null ? parseSize(text) : Math.round(gb * 1e9);
	},
	words: sizeWords,
	problem: 'Write a size such as 24 GB.'
};

/** Percent. */
export const SHARE: Measure = {
	read: (text) => plain(text.replace('%', '').trim()),
	words: (value) => `${value} %`,
	problem: 'Write a share such as 50 %.'
};

/** Euros. */
export const MONEY: Measure = {
	read: (text) => plain(text.replace(/€|EUR/i, '').trim()),
	// As exactly as it was typed: two places after the point, or as many as it takes.
	words: (value) => {
		const places = String(value).split('.')[1]?.length ?? 0;
		return `€ ${value.toFixed(places && Math.max(2, places))}`;
	},
	problem: 'Write an amount such as € 1.40.'
};

/** Mbit/s. */
export const SPEED: Measure = {
	read: (text) => {
		const [, number, unit = 'm'] = /^([\d.,]+) *(?:([kmg])(?:bit\/s|bps)?)?$/i.exec(text) ?? [];
		const n = (plain(number ?? '') ?? Number.NaN) * { k: 0.001, m: 1, g: 1000 }[unit.toLowerCase() as 'k' | 'm' | 'g'];
		return n < 1e6 ? Math.round(n * 1e6) / 1e6 : null;
	},
	words: (value) => (value >= 1000 && Number.isInteger(value) ? `${value / 1000} Gbit/s` : `${value} Mbit/s`),
	problem: 'Write a speed such as 250 Mbit/s.'
};

/** Ms, of what takes less than a second or two. A number alone is milliseconds. */
export const DELAY: Measure = {
	read: (text) => plain(text) ?? parseDuration(text),
	words: (value) => (value < 1e6 ? `${value} ms` : durationWords(value)),
	problem: 'Write a delay such as 46 ms.'
};

/** What stands for no bound in a field of one. */
export const UNBOUND = -1;

/** A whole number beyond which something counts; `any number`: no bound. */
export const BOUND: Measure = {
	read: (text) => {
		if (/^(any number|any|none)?$/i.test(text)) return UNBOUND;
		const n = plain(text);
		return n !== null && Number.isInteger(n) ? n : null;
	},
	words: (n) => (n === UNBOUND ? 'any number' : String(n)),
	problem: 'Write a whole number, or nothing for any number.'
};

/** Lines of something, as a whole number. */
export const LINES: Measure = {
	read: (text) => {
		const n = plain(text.replace(/[\s,]|lines?$/gi, ''));
		return n !== null && Number.isInteger(n) && n > 0 ? n : null;
	},
	words: (n) => countWords(n, 'line'),
	problem: 'Write a whole number of lines, such as 500.'
};
