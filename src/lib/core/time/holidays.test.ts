import { expect, test } from 'vitest';
import { MOST_HOLIDAYS, readHolidays } from './holidays';

const read = (text: string) => readHolidays(text, '2026-11-30');

test('days are read as people write them, one a line, in whatever order', () => {
	expect(read('2026-12-25 Christmas Day\n\n24 Dec 2026 Christmas Eve\r\n1 May 2027: Labour Day\n2027-01-26')).toEqual({
		days: [
			{ day: '2026-12-24', name: 'Christmas Eve' },
			{ day: '2026-12-25', name: 'Christmas Day' },
			{ day: '2027-01-26', name: '' },
			{ day: '2027-05-01', name: 'Labour Day' }
		]
	});
	expect(read(' \n')).toEqual({ days: [] });
});

test.each([
	['Christmas', 1, /such as 24 Dec 2026/],
	['2026-12-24\n2026-02-30 Never', 2, /such as 24 Dec 2026/],
	['2026-12-24 a\n24 Dec 2026 b', 2, /already/],
	[`2026-12-24 ${'x'.repeat(90)}`, 1, /at most 80/]
])('%j is refused with its line', (text, line, words) =>
	expect(read(text)).toEqual({ problems: [{ line, words: expect.stringMatching(words) as string }] })
);

test('there are bounds', () => {
	const many = Array.from(
		{ length: MOST_HOLIDAYS + 100 },
		(_v, n) => `${1970 + Math.floor(n / 28)}-01-${String((n % 28) + 1).padStart(2, '0')}`
	);
	const came = read(many.join('\n'));
	expect('problems' in came && came.problems.length).toBe(50);
});
