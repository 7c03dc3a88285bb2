import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { DAYS, DELAY, MONEY, SHARE, SIZE, SPAN, SPEED, type Measure } from './measures';

describe('what somebody types as', () => {
	test.each<[string, Measure, [string, number | null][]]>([
		[
			'a duration',
			SPAN,
			[
				['25', 25 * 60_000],
				['1,5', 90_000],
				['3 h 30 min', 12_600_000],
				['90s', 90_000],
				['', null],
				['soon', null],
				['-5', null],
				['9'.repeat(400), null]
			]
		],
		[
			'days',
			DAYS,
			[
				['14', 14],
				['14 days', 14],
				['2 weeks', null],
				['48 h', 2],
				['12 h', null],
				['none', 0],
				['0', 0],
				['', null],
				['1,5', null]
			]
		],
		[
			'a size',
			SIZE,
			[
				['24', 24e9],
				['0,5', 5e8],
				['1.5 TB', 1.5e12],
				['24 G', null],
				['9'.repeat(400), null]
			]
		],
		[
			'a share',
			SHARE,
			[
				['50', 50],
				['50 %', 50],
				['12,5%', 12.5],
				['half', null],
				['%', null],
				['9'.repeat(400), null]
			]
		],
		[
			'an amount',
			MONEY,
			[
				['1.4', 1.4],
				['€ 34', 34],
				['1,40 €', 1.4],
				['12 EUR', 12],
				['', null],
				['two', null],
				['-1', null]
			]
		],
		[
			'a speed',
			SPEED,
			[
				['250', 250],
				['250 Mbit/s', 250],
				['2.5 Gbit/s', 2500],
				['512k', 0.512],
				['0', 0],
				['fast', null],
				['', null]
			]
		],
		[
			'a delay',
			DELAY,
			[
				['46', 46],
				['46 ms', 46],
				['0.4 s', 400],
				['', null],
				['long', null]
			]
		]
	])('%s', (_, measure, cases) => {
		for (const [text, value] of cases) expect([text, measure.read(text)]).toEqual([text, value]);
	});

	test.each([
		['a duration', SPAN],
		['a size', SIZE],
		['a share', SHARE],
		['an amount', MONEY],
		['a speed', SPEED],
		['a delay', DELAY]
	])('%s is a finite number or nothing, and reads back as it is shown', (_, measure) =>
		fc.assert(
			fc.property(
				fc.oneof(fc.string(), fc.stringMatching(/^\d{1,9}([.,]\d{1,3})? ?(h|min|s|ms|GB|TB|%|€|k|G|Mbit\/s)?$/)),
				(text) => {
					const read = measure.read(text);
					if (read === null) return;
					expect(Number.isFinite(read)).toBe(true);
					expect(measure.read(measure.words(read))).not.toBeNull();
				}
			)
		)
	);
});
