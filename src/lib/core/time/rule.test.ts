import fc from 'fast-check';
import rrule from 'rrule';
import { describe, expect, test } from 'vitest';
import { daysOf, readRule, type Rule } from './rule';

const { RRule } = rrule;
const DAY = 86_400_000;
const dayOf = (iso: string) => Date.parse(`${iso}T00:00Z`) / DAY;
const isoOf = (day: number) => new Date(day * DAY).toISOString().slice(0, 10);
const rule = (text: string) => readRule(text) as Rule;
const named = (text: string, first: string, to: string) =>
	[...daysOf(rule(text), dayOf(first), dayOf(first), dayOf(to))].map(isoOf);

describe('examples of RFC 5545, section 3.8.5.3', () => {
	test.each<[string, string, string[]]>([
		['FREQ=DAILY;COUNT=3', '1997-09-02', ['1997-09-02', '1997-09-03', '1997-09-04']],
		[
			'FREQ=DAILY;INTERVAL=10;COUNT=5',
			'1997-09-02',
			['1997-09-02', '1997-09-12', '1997-09-22', '1997-10-02', '1997-10-12']
		],
		['FREQ=WEEKLY;INTERVAL=2;WKST=SU;COUNT=4', '1997-09-02', ['1997-09-02', '1997-09-16', '1997-09-30', '1997-10-14']],
		[
			'FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH',
			'1997-09-02',
			['1997-09-02', '1997-09-04', '1997-09-16', '1997-09-18', '1997-09-30', '1997-10-02', '1997-10-14', '1997-10-16']
		],
		['FREQ=MONTHLY;COUNT=4;BYDAY=1FR', '1997-09-05', ['1997-09-05', '1997-10-03', '1997-11-07', '1997-12-05']],
		[
			'FREQ=MONTHLY;INTERVAL=2;COUNT=6;BYDAY=1SU,-1SU',
			'1997-09-07',
			['1997-09-07', '1997-09-28', '1997-11-02', '1997-11-30', '1998-01-04', '1998-01-25']
		],
		['FREQ=MONTHLY;COUNT=3;BYDAY=-2MO', '1997-09-22', ['1997-09-22', '1997-10-20', '1997-11-17']],
		['FREQ=MONTHLY;BYMONTHDAY=-3;COUNT=3', '1997-09-28', ['1997-09-28', '1997-10-29', '1997-11-28']],
		['FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13;COUNT=3', '1998-02-13', ['1998-02-13', '1998-03-13', '1998-11-13']],
		[
			'FREQ=MONTHLY;BYDAY=SA;BYMONTHDAY=7,8,9,10,11,12,13;COUNT=3',
			'1997-09-13',
			['1997-09-13', '1997-10-11', '1997-11-08']
		],
		['FREQ=YEARLY;COUNT=4;BYMONTH=6,7', '1997-06-10', ['1997-06-10', '1997-07-10', '1998-06-10', '1998-07-10']],
		['FREQ=YEARLY;BYDAY=20MO;COUNT=3', '1997-05-19', ['1997-05-19', '1998-05-18', '1999-05-17']],
		[
			'FREQ=YEARLY;BYMONTH=3;BYDAY=TH;COUNT=5',
			'1997-03-13',
			['1997-03-13', '1997-03-20', '1997-03-27', '1998-03-05', '1998-03-12']
		],
		[
			'FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8;COUNT=3',
			'1996-11-05',
			['1996-11-05', '2000-11-07', '2004-11-02']
		],
		['FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3', '1997-09-04', ['1997-09-04', '1997-10-07', '1997-11-06']],
		['FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2;COUNT=3', '1997-09-29', ['1997-09-29', '1997-10-30', '1997-11-27']],
		[
			'FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO',
			'1997-08-05',
			['1997-08-05', '1997-08-10', '1997-08-19', '1997-08-24']
		],
		[
			'FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU',
			'1997-08-05',
			['1997-08-05', '1997-08-17', '1997-08-19', '1997-08-31']
		],
		[
			'FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5',
			'2007-01-15',
			['2007-01-15', '2007-01-30', '2007-02-15', '2007-03-15', '2007-03-30']
		]
	])('%s from %s', (text, first, days) => expect(named(text, first, '2010-01-01')).toEqual(days));
});

test('says the same as a well-known library, whatever the rule, from whichever day it is asked', () => {
	const some = <T>(of: readonly T[], most: number) =>
		fc.uniqueArray(fc.constantFrom(...of), { minLength: 1, maxLength: most });
	const days = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'];
	const parts = fc.record({
		freq: fc.constantFrom('DAILY', 'WEEKLY', 'MONTHLY', 'YEARLY'),
		interval: fc.constantFrom(1, 1, 1, 2, 3, 5),
		byDay: fc.option(some(days, 3), { freq: 2 }),
		nth: fc.constantFrom('', '', '1', '2', '-1', '4'),
		byMonthDay: fc.option(some([1, 2, 13, 15, 28, 29, 30, 31, -1, -3], 3), { freq: 3 }),
		byMonth: fc.option(some([1, 2, 3, 6, 9, 11, 12], 3), { freq: 3 }),
		wkst: fc.constantFrom('MO', 'SU'),
		setPos: fc.option(fc.constantFrom('1', '-1', '2'), { freq: 4 })
	});
	fc.assert(
		fc.property(parts, fc.integer({ min: 0, max: 1500 }), fc.integer({ min: 0, max: 900 }), (p, offset, ask) => {
			const numbered = p.freq === 'MONTHLY' || p.freq === 'YEARLY' ? p.nth : '';
			// With days of the month the library takes numbered days of the week another way than the RFC has it.
			fc.pre(!(numbered && p.byMonthDay));
			const text = [
				`FREQ=${p.freq}`,
				`INTERVAL=${p.interval}`,
				...(p.byDay ? [`BYDAY=${p.byDay.map((d) => numbered + d).join()}`] : []),
				...(p.byMonthDay && p.freq !== 'WEEKLY' ? [`BYMONTHDAY=${p.byMonthDay.join()}`] : []),
				...(p.byMonth ? [`BYMONTH=${p.byMonth.join()}`] : []),
				...(p.setPos && p.freq !== 'DAILY' && p.freq !== 'WEEKLY' && (p.byDay || p.byMonthDay)
					? [`BYSETPOS=${p.setPos}`]
					: []),
				`WKST=${p.wkst}`
			].join(';');
			const first = dayOf('2023-01-01') + offset;
			const [from, to] = [first + ask, first + ask + 1500];
			const ours = [...daysOf(rule(text), first, from, to)];
			// Where nothing comes the library looks on to the year 9999.
			fc.pre(ours.length > 0 && [...daysOf(rule(text), first, to + 1, to + 4000)].length > 0);
			const theirs = new RRule({ ...RRule.parseString(text), dtstart: new Date(first * DAY) })
				.between(new Date(from * DAY), new Date(to * DAY), true)
				.map((d) => d.getTime() / DAY);
			expect(ours.map(isoOf), text).toEqual(theirs.map(isoOf));
		}),
		{ numRuns: 1500 }
	);
});

describe('a rule', () => {
	test.each([
		'FREQ=DAILY;INTERVAL=-1',
		'FREQ=DAILY;INTERVAL=0',
		'FREQ=DAILY;INTERVAL=1e9',
		'FREQ=DAILY;COUNT=99999999',
		'FREQ=DAILY;COUNT=3;UNTIL=20300101',
		'FREQ=DAILY;UNTIL=20300231',
		'FREQ=DAILY;UNTIL=tomorrow',
		'FREQ=WEEKLY;BYDAY=2TU',
		'FREQ=WEEKLY;BYMONTHDAY=3',
		'FREQ=MONTHLY;BYDAY=0MO',
		'FREQ=MONTHLY;BYDAY=XX',
		'FREQ=MONTHLY;BYMONTHDAY=32',
		'FREQ=MONTHLY;BYMONTH=-1',
		'FREQ=MONTHLY;BYSETPOS=1',
		'FREQ=MONTHLY;FREQ=DAILY',
		'FREQ=MONTHLY;WKST=XX',
		`FREQ=MONTHLY;BYMONTHDAY=${Array(100).fill(1).join()}`,
		'constructor=1',
		'=',
		''
	])('%s is refused', (text) => expect(readRule(text)).toHaveProperty('wrong'));

	test('that names no day ends as soon as one that does: the work goes by the span alone', () => {
		for (const text of [
			'FREQ=MONTHLY;BYMONTH=2;BYMONTHDAY=30',
			'FREQ=YEARLY;INTERVAL=1000;BYMONTH=2;BYMONTHDAY=29',
			'FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30',
			'FREQ=YEARLY;INTERVAL=2;BYMONTH=2;BYMONTHDAY=29'
		])
			expect(named(text, '2027-01-01', '2127-01-01')).toEqual([]);
	});
});
