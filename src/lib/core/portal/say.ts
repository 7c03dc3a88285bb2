import { IntlMessageFormat } from 'intl-messageformat';
import type { Lack } from '../access/decide';
import { timeOfDay, type Hours } from '../time/hours';
import { DAY, durationWords } from '../time/units';
import { en, type Key } from './en';
import { fr } from './fr';
import type { Language } from './languages';
import { nb } from './nb';

export type { Key } from './en';

/** What stands in a message in place of its names. */
export type Values = Record<string, string | number>;

export const MESSAGES: Record<Language, Record<Key, string>> = { en, nb, fr };

/** What numbers and dates are written by. British days and clocks: 24 hours, as everywhere here. */
const LOCALE: Record<Language, string> = { en: 'en-GB', nb: 'nb-NO', fr: 'fr-FR' };

/** Somebody who speaks one language. */
export interface Speaker {
	(key: Key, values?: Values): string;
	language: Language;
	/** `Tue 17 Nov`, in the zone. */
	day(at: number, zone: string): string;
	/** `17 Nov 2026`, of a day such as 2026-11-17. */
	date(iso: string): string;
	/** `Tue 17 Nov 14:30`, in the zone; the hour alone where it is of the same day as now. */
	moment(at: number, zone: string, now: number): string;
	/** A span: `2 min 5 s`. The units are the same in each language. */
	span(ms: number): string;
	/** `Mon–Fri 07:00–19:00`. */
	hours(hours: Hours): string;
	/** What somebody lacks who may not open something; in the words of whoever made the app, where it is they that say so. */
	lack(lack: Lack): string;
	/** `a, b and c`. */
	list(words: readonly string[]): string;
}

const speakers = new Map<Language, Speaker>();

/** The speaker of a language. */
export function speakerOf(language: Language): Speaker {
	let speaker = speakers.get(language);
	if (!speaker) speakers.set(language, (speaker = made(language)));
	return speaker;
}

function made(language: Language): Speaker {
	const locale = LOCALE[language];
	const formats = new Map<Key, IntlMessageFormat>();
	const say = (key: Key, values: Values = {}): string => {
		let format = formats.get(key);
		if (!format) formats.set(key, (format = new IntlMessageFormat(MESSAGES[language][key], locale)));
		return String(format.format(values));
	};
	const written = (options: Intl.DateTimeFormatOptions) => (at: number, zone: string) =>
		new Intl.DateTimeFormat(locale, { ...options, timeZone: zone }).format(at).replaceAll(',', '');
	const day = written({ weekday: 'short', day: 'numeric', month: 'short' });
	const clock = written({ hour: '2-digit', minute: '2-digit', hourCycle: 'h23' });
	const date = written({ day: 'numeric', month: 'short', year: 'numeric' });
	/** 1 January 2024 was a Monday. */
	const weekday = (n: number) => written({ weekday: 'short' })(Date.UTC(2024, 0, n), 'UTC').replace(/\.$/, '');
	const hours = ({ days, from, until }: Hours): string => {
		const sorted = [...days].sort();
		const runs = sorted.length > 2 && sorted.at(-1)! - sorted[0]! === sorted.length - 1;
		const names = runs ? `${weekday(sorted[0]!)}–${weekday(sorted.at(-1)!)}` : sorted.map((d) => weekday(d)).join(', ');
		return from === until ? say('hours.all-day', { days: names }) : `${names} ${timeOfDay(from)}–${timeOfDay(until)}`;
	};
	const isoDay = (iso: string) => {
		const at = Date.parse(`${iso}T12:00:00Z`);
		return Number.isNaN(at) ? iso : date(at, 'UTC');
	};
	return Object.assign(say, {
		language,
		day,
		date: isoDay,
		moment: (at: number, zone: string, now: number) =>
			Math.abs(now - at) < DAY && day(at, zone) === day(now, zone)
				? clock(at, zone)
				: `${day(at, zone)} ${clock(at, zone)}`,
		// A number and its unit stay on one line.
		span: (ms: number) => durationWords(ms).replaceAll(' ', '\u00a0'),
		hours,
		list: (words: readonly string[]) => new Intl.ListFormat(locale).format(words),
		lack(lack: Lack): string {
			switch (lack.kind) {
				case 'begins':
					return say('lack.from', { day: day(lack.at, lack.zone) });
				case 'from':
					return say('lack.from', { day: isoDay(lack.day) });
				case 'hours':
					return say('lack.hours', { hours: hours(lack.hours) });
				case 'starters':
					return lack.words ?? say('lack.starters');
				default:
					return say(`lack.${lack.kind}`);
			}
		}
	});
}
