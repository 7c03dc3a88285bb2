import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { dayText, instantOf, localMoment, momentText, readDay, readMoment } from './written';

const TODAY = '2026-11-17';

describe('a day that somebody writes', () => {
	test.each([
		['2026-12-01', '2026-12-01'],
		['Tue 17 Nov 2026', '2026-11-17'],
		['tue 17 nov', '2026-11-17'],
		['16 Nov', '2027-11-16'],
		['1 December', '2026-12-01'],
		['Tuesday 1 December 2026', '2026-12-01'],
		['1.12.2026', '2026-12-01'],
		['today', '2026-11-17'],
		['tomorrow', '2026-11-18'],
		['Fri', '2026-11-20'],
		['Tuesday', '2026-11-24'],
		['29 Feb', null],
		['29 Feb 2028', '2028-02-29'],
		// The 18th is a Wednesday.
		['Tue 18 Nov 2026', null],
		['2026-02-30', null],
		['soon', null],
		['', null]
	])('%j is %j', (text, day) => expect(readDay(text, TODAY)).toBe(day));

	test('reads back as it is shown, whatever day it is', () =>
		fc.assert(
			fc.property(fc.date({ min: new Date('1990-01-01'), max: new Date('2090-01-01'), noInvalidDate: true }), (d) => {
				const iso = d.toISOString().slice(0, 10);
				expect(readDay(dayText(iso), TODAY)).toBe(iso);
			})
		));
});

describe('a moment that somebody writes', () => {
	test.each([
		['2026-11-18T22:00', '2026-11-18T22:00'],
		['Tue 17 Nov 2026 14:30', '2026-11-17T14:30'],
		['tomorrow 7:05', '2026-11-18T07:05'],
		['tomorrow at 07.05', '2026-11-18T07:05'],
		['20:00', '2026-11-17T20:00'],
		['9:00', '2026-11-18T09:00'],
		['Fri 24:00', null],
		['17 Nov', null],
		['Tue 17 Nov 2026', null],
		['noon', null]
	])('%j is %j', (text, moment) => expect(readMoment(text, '2026-11-17T14:30')).toBe(moment));

	test('is shown with its weekday, and stands for an instant in its zone', () => {
		expect(momentText('2026-11-17T14:30')).toBe('Tue 17 Nov 2026 14:30');
		expect(localMoment('Australia/Adelaide', Date.UTC(2026, 10, 17, 4, 0))).toBe('2026-11-17T14:30');
		expect(localMoment('Austr', Date.UTC(2026, 10, 17, 4, 0))).toBe('2026-11-17T04:00');
		expect(instantOf('2026-11-17T14:30', 'Australia/Adelaide')).toBe(Date.UTC(2026, 10, 17, 4, 0));
		expect(instantOf('soon', 'Europe/Oslo')).toBeNull();
		expect(momentText('soon')).toBe('soon');
	});
});
