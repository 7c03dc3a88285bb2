import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
	countWords,
	DAY,
	durationWords,
	GB,
	HOUR,
	MINUTE,
	moneyWords,
	parseDuration,
	parseSize,
	SECOND,
	sizeWords
} from './units';

describe('durations', () => {
	test.each([
		['90s', 90 * SECOND],
		['25 min', 25 * MINUTE],
		['3 h 30 min', 3.5 * HOUR],
		['14 d', 14 * DAY],
		['1.5h', 1.5 * HOUR],
		['500 ms', 500]
	])('%s is read', (text, ms) => expect(parseDuration(text)).toBe(ms));

	test.each(['', '90', 'soon', '3 weeks', '5 min later'])('“%s” is not a duration', (text) => {
		expect(parseDuration(text)).toBeNull();
	});

	test.each([
		[850, '850 ms'],
		[4200, '4.2 s'],
		[4000, '4 s'],
		[71 * SECOND, '1 min 11 s'],
		[6 * MINUTE + 10 * SECOND, '6 min 10 s'],
		[58 * MINUTE, '58 min'],
		[2 * HOUR + 21 * MINUTE, '2 h 21 min'],
		[3 * DAY + 4 * HOUR, '3 d 4 h']
	])('%i ms reads %s', (ms, words) => expect(durationWords(ms)).toBe(words));

	test('what is written in words reads back to within the words’ own precision', () => {
		fc.assert(
			fc.property(fc.integer({ min: 1, max: 40 * DAY }), (ms) => {
				const back = parseDuration(durationWords(ms))!;
				expect(Math.abs(back - ms)).toBeLessThanOrEqual(Math.max(50, ms * 0.051));
			})
		);
	});
});

describe('sizes, money, counts', () => {
	test('sizes are decimal and read back', () => {
		expect(parseSize('42 GB')).toBe(42 * GB);
		expect(parseSize('1.5tb')).toBe(1500 * GB);
		expect(parseSize('42')).toBeNull();
		expect(sizeWords(6_400_000_000)).toBe('6.4 GB');
		expect(sizeWords(950)).toBe('950 B');
	});
	test('money shows cents only when small', () => {
		expect(moneyWords(51)).toBe('€ 0.51');
		expect(moneyWords(314_000)).toBe('€ 3,140');
		expect(moneyWords(-36_200)).toBe('−€ 362');
	});
	test('one is singular', () => {
		expect(countWords(1, 'person', 'people')).toBe('1 person');
		expect(countWords(1204, 'machine')).toBe('1,204 machines');
		const known = new Intl.NumberFormat('en-GB');
		for (const n of [0, 1, 7, 999, 1000, 1_204_000, -3, -1000, 0.5, 999.5, 2.25, 1e21])
			expect(countWords(n, 'machine').split(' ')[0]).toBe(known.format(n));
	});
});
