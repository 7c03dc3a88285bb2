import Papa from 'papaparse';
import type { Finding } from '../diagnosis/findings';
import { SITE_CHECK_WORDS } from '../network/site-checks';
import { countWords, DAY } from '../time/units';
import { dayWords } from '../time/zone';
import type { Fact } from '../why/explained';

/** How devices that call in for the first time are let in: by the rules, those alone that were announced, or each by somebody's hand. */
export const ADMISSIONS = ['rules', 'list', 'hand'] as const;
export type Admission = (typeof ADMISSIONS)[number];
export const ADMISSION_WORDS: Record<Admission, string> = {
	rules: 'by the rules',
	list: 'if announced, by the rules',
	hand: 'by hand, each'
};

/** A device that was to come is late after this long. */
export const LATE = DAY;
export const ANNOUNCED_STATES = ['called in', 'expected', 'stays away'] as const;
export type AnnouncedState = (typeof ANNOUNCED_STATES)[number];

/** What has become of a device that was announced, at a moment (ms UTC). */
export const announcedState = (d: { expectedAt: number; calledIn: boolean }, at: number): AnnouncedState =>
	d.calledIn ? 'called in' : at < d.expectedAt + LATE ? 'expected' : 'stays away';

/** Serial numbers that one plan announces, and the longest of them. */
export const MOST_SERIALS = 5000;
export const LONGEST_SERIAL = 64;

/** What is wrong with a serial number; null where nothing is. */
export function serialProblem(serial: string): string | null {
	if (serial === '') return 'A serial number is missing.';
	if (serial.length > LONGEST_SERIAL) return `A serial number has at most ${LONGEST_SERIAL} characters.`;
	return /[\p{C}\s]/u.test(serial)
		? `${serial.replace(/[\p{C}\s]/gu, '·')} is no serial number: it has a gap in it.`
		: null;
}

/**
 * Reads serial numbers as people have them: one on a line, or a table with titles (CSV), one of which is `serial` or `serial number`. What
 * is wrong is said by its line, counted from 1.
 */
export function readSerials(text: string): { serials: string[]; problems: { line: number; words: string }[] } {
	const plain = text.replace(/^\uFEFF/, '').replace(/\r\n?/g, '\n');
	const rows = Papa.parse<string[]>(plain, { newline: '\n', preview: MOST_SERIALS + 2 }).data;
	const titles = (rows[0] ?? []).map((t) =>
		t
			.trim()
			.toLowerCase()
			.replace(/[\s_-]+/g, ' ')
	);
	const titled = titles.findIndex((t) => ['serial', 'serial number', 'serialnumber'].includes(t));
	const column = Math.max(0, titled);
	const problems: { line: number; words: string }[] = [];
	const seen = new Map<string, number>();
	rows.forEach((row, i) => {
		const line = i + 1;
		if ((titled >= 0 && i === 0) || row.every((c) => c.trim() === '')) return;
		const serial = (row[column] ?? '').trim();
		const wrong = serialProblem(serial);
		if (wrong) problems.push({ line, words: wrong });
		else if (seen.has(serial)) problems.push({ line, words: `${serial} stands on line ${seen.get(serial)} already.` });
		else seen.set(serial, line);
	});
	if (seen.size > MOST_SERIALS) problems.push({ line: MOST_SERIALS + 1, words: `At most ${MOST_SERIALS} at once.` });
	return { serials: [...seen.keys()].slice(0, MOST_SERIALS), problems };
}

/** Devices of a site that were announced and have not called in, and what is seen of their way to Sextant. */
export interface Away {
	site: string;
	name: string;
	zone: string;
	devices: readonly { serial: string; expectedAt: number }[];
	/** What the check of the site says of where devices call; null where it is not looked at. */
	check: { ok: boolean | null; saw: string; remedy: string; since: number } | null;
}

/** How many are named one by one. */
const NAMED = 6;

/**
 * Sites whose devices stay away, or would. The commonest cause is that they are not told where to call: the check of that says what puts it
 * right.
 */
export const awayFindings = (sites: readonly Away[]): Finding[] =>
	sites
		.filter((s) => s.devices.length > 0 || s.check?.ok === false)
		.map((s): Finding => {
			const about = {
				kind: 'endpoints stay away',
				subject: { kind: 'site', id: s.site },
				site: s.site,
				remedy: null
			} as const;
			if (!s.devices.length)
				return { ...about, title: `${s.name}: ${SITE_CHECK_WORDS.devices.fails}`, facts: whyAway(s) };
			const first = Math.min(...s.devices.map((d) => d.expectedAt));
			const names = s.devices.slice(0, NAMED).map((d) => d.serial);
			const more = s.devices.length - names.length;
			return {
				...about,
				title: `${countWords(s.devices.length, 'endpoint')} announced for ${s.name} ${s.devices.length === 1 ? 'has' : 'have'} not called in`,
				facts: [
					{
						words: `expected from ${dayWords(s.zone, first)} on: ${names.join(', ')}${more ? ` and ${more} more` : ''}`,
						side: 'against',
						source: 'announced endpoints'
					},
					...whyAway(s)
				]
			};
		});

function whyAway({ check, name }: Away): Fact[] {
	if (!check || check.ok === null)
		return [{ words: 'nothing says where devices are to call, so that it cannot be looked at', source: 'settings' }];
	if (check.ok)
		return [
			{
				words: `devices at ${name} learn where to call (${check.saw}): these have not been switched on, or stand elsewhere`,
				source: 'check'
			}
		];
	return [
		{ words: `${SITE_CHECK_WORDS.devices.asks} ${check.saw}`, side: 'against', at: check.since, source: 'check' },
		{ words: check.remedy.replace(/\.$/, ''), source: 'remedy' }
	];
}
