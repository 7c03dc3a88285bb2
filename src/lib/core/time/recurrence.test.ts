import { describe, expect, test } from 'vitest';
import { occurrences, recurrenceProblems, recurrenceWords, skippedTimes, type Recurrence } from './recurrence';
import { DAY } from './units';

const PATCH_NIGHT: Recurrence = { rule: 'FREQ=MONTHLY;BYDAY=2TU', begins: '2026-11-10T22:00', zone: 'Europe/Oslo' };
const iso = (list: number[]) => list.map((t) => new Date(t).toISOString().slice(0, 16));

describe('a recurrence', () => {
	test('is due in the wall clock of its zone, summer and winter', () => {
		expect(iso(occurrences(PATCH_NIGHT, Date.UTC(2026, 10, 1), Date.UTC(2027, 4, 1)))).toEqual([
			'2026-11-10T21:00',
			'2026-12-08T21:00',
			'2027-01-12T21:00',
			'2027-02-09T21:00',
			'2027-03-09T21:00',
			'2027-04-13T20:00'
		]);
	});
	test('counts the end in and the beginning out, so that no moment is met twice', () => {
		const at = Date.UTC(2026, 11, 8, 21);
		expect(occurrences(PATCH_NIGHT, at - 1, at)).toEqual([at]);
		expect(occurrences(PATCH_NIGHT, at, at + DAY)).toEqual([]);
	});
	test('is said in words', () =>
		expect(recurrenceWords(PATCH_NIGHT)).toBe('every month on the 2nd Tuesday at 22:00, Europe/Oslo'));
	test('a time that the clock skips is due just after, and is told of', () => {
		const night: Recurrence = { rule: 'FREQ=DAILY', begins: '2027-03-27T02:30', zone: 'Europe/Oslo' };
		expect(iso(occurrences(night, Date.UTC(2027, 2, 27, 12), Date.UTC(2027, 2, 28, 12)))).toEqual(['2027-03-28T01:30']);
		expect(skippedTimes(night, Date.UTC(2027, 2, 1))[0]).toEqual({ day: '2027-03-28', instead: '03:30' });
		expect(skippedTimes(PATCH_NIGHT, Date.UTC(2026, 10, 1))).toEqual([]);
	});
	test.each<[string, Partial<Recurrence>, string]>([
		['a day that there is not', { begins: '2026-02-31T10:00' }, 'begins'],
		['a time in words', { begins: 'tomorrow' }, 'begins'],
		['a rule without a frequency', { rule: 'BYDAY=2TU' }, 'rule'],
		['a rule of another kind', { rule: 'FREQ=SECONDLY' }, 'rule'],
		['a rule in words', { rule: 'every Tuesday' }, 'rule'],
		['a day that no month has', { rule: 'FREQ=MONTHLY;BYMONTHDAY=31;BYMONTH=2' }, 'rule']
	])('%s is refused beside its field', (_n, change, field) =>
		expect(recurrenceProblems({ ...PATCH_NIGHT, ...change })).toMatchObject([{ field }])
	);
	test.each<[string, Partial<Recurrence>, string]>([
		['an interval below nothing', { rule: 'FREQ=DAILY;INTERVAL=-1' }, 'rule'],
		['30 February', { rule: 'FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30' }, 'rule'],
		[
			'29 February in odd years',
			{ rule: 'FREQ=YEARLY;INTERVAL=2;BYMONTH=2;BYMONTHDAY=29', begins: '2027-01-01T00:00' },
			'rule'
		],
		['the year 100', { begins: '0100-01-01T00:00' }, 'begins'],
		['the year 9999', { begins: '9999-01-01T00:00' }, 'begins']
	])('%s is refused at once', (_n, change, field) =>
		expect(recurrenceProblems({ ...PATCH_NIGHT, ...change })).toMatchObject([{ field }])
	);
	test('what stands in the database and cannot be read is never due, and is said so', () => {
		const odd = { ...PATCH_NIGHT, rule: 'FREQ=DAILY;INTERVAL=-1' };
		expect(occurrences(odd, 0, Date.UTC(2030, 0, 1))).toEqual([]);
		expect(recurrenceWords(odd)).toMatch(/cannot be read/);
	});
	test('UNTIL with a Z is of UTC, without one of the wall clock, and a day counts in whole', () => {
		const until = (text: string) =>
			iso(
				occurrences(
					{ rule: `FREQ=DAILY;UNTIL=${text}`, begins: '2026-12-01T23:30', zone: 'Asia/Kolkata' },
					Date.UTC(2026, 10, 1),
					Date.UTC(2027, 0, 1)
				)
			);
		// 23:30 in Kolkata is 18:00 UTC.
		expect(until('20261203T180000Z')).toEqual(['2026-12-01T18:00', '2026-12-02T18:00', '2026-12-03T18:00']);
		expect(until('20261203T175959Z')).toEqual(['2026-12-01T18:00', '2026-12-02T18:00']);
		expect(until('20261203T233000')).toHaveLength(3);
		expect(until('20261203T232959')).toHaveLength(2);
		expect(until('20261203')).toHaveLength(3);
	});
	test('a good one has no problem', () => expect(recurrenceProblems(PATCH_NIGHT)).toEqual([]));
});
