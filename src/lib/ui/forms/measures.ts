import { durationWords, parseDuration, parseSize, sizeWords } from '$lib/core/time/units';

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
