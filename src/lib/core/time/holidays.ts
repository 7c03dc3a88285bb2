import { readDay } from './written';

/** A day on which a site does not work as on others. */
export interface Holiday {
	/** As `2026-12-24`. */
	day: string;
	name: string;
}

/** So many days one site has at most. */
export const MOST_HOLIDAYS = 500;
const LONGEST_NAME = 80;

/**
 * Reads days as they are written, one a line, each with what it is called behind it: `24 Dec 2026 Christmas Eve`, `2026-12-24`. Empty lines count for nothing.
 * @param today a day as `2026-11-30`, for days that are written without a year
 * @returns the days in their order, or what is wrong by line, from 1 on
 */
export function readHolidays(
	text: string,
	today: string
): { days: Holiday[] } | { problems: { line: number; words: string }[] } {
	const problems: { line: number; words: string }[] = [];
	const days = new Map<string, string>();
	for (const [i, written] of text.split(/\r\n|\r|\n/).entries()) {
		const line = i + 1;
		const wrong = (words: string) => void (problems.length < 50 && problems.push({ line, words }));
		const trimmed = written.trim();
		if (trimmed === '') continue;
		const parts = /^(\d{4}-\d{2}-\d{2}|\d{1,2}\s+\p{L}{3,9}\.?(?:\s+\d{4})?)(?=[\s,:]|$)(.*)$/u.exec(trimmed);
		const day = parts && readDay(parts[1]!.replace('.', ''), today);
		const name = (parts?.[2] ?? '').replace(/^[\s,:]+/, '').trim();
		if (!day) wrong('Write a day such as 24 Dec 2026, and what it is called behind it.');
		else if (name.length > LONGEST_NAME) wrong(`A name has at most ${LONGEST_NAME} characters.`);
		else if (days.has(day)) wrong('This day stands there already.');
		else if (days.size >= MOST_HOLIDAYS) wrong(`At most ${MOST_HOLIDAYS} days.`);
		else days.set(day, name);
	}
	return problems.length ? { problems } : { days: inOrder(days) };
}

const inOrder = (days: ReadonlyMap<string, string>): Holiday[] =>
	[...days].map(([day, name]) => ({ day, name })).sort((a, b) => (a.day < b.day ? -1 : 1));
