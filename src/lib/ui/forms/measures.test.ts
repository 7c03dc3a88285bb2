import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { SHARE, SIZE, SPAN, type Measure } from './measures';

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
		]
	])('%s', (_, measure, cases) => {
		for (const [text, value] of cases) expect([text, measure.read(text)]).toEqual([text, value]);
	});

	test.each([
		['a duration', SPAN],
		['a size', SIZE],
		['a share', SHARE]
	])('%s is a finite number or nothing, and reads back as it is shown', (_, measure) =>
		fc.assert(
			fc.property(fc.oneof(fc.string(), fc.stringMatching(/^\d{1,9}([.,]\d{1,3})? ?(h|min|GB|TB|%)?$/)), (text) => {
				const read = measure.read(text);
				if (read === null) return;
				expect(Number.isFinite(read)).toBe(true);
				expect(measure.read(measure.words(read))).not.toBeNull();
			})
		)
	);
});
