import { expect, test } from 'vitest';
import { roundTrips } from './distance';

test('a way leads over the direct link, or through home; what no link is known for is far', () => {
	const way = roundTrips(
		[
			{ a: 'quay', b: 'isle', latency: 30 },
			{ a: 'ship', b: 'quay', latency: 600 },
			{ a: 'isle', b: 'quay', latency: 99 }
		],
		'quay'
	);
	expect(way('quay', 'quay')).toBe(3);
	expect(way('quay', 'isle')).toBe(30);
	expect(way('quay', 'ship')).toBe(600);
	expect(way('isle', 'ship')).toBe(99 + 600);
	expect(way('quay', 'nowhere')).toBe(3 + 120);
	expect(way('nowhere', 'elsewhere')).toBe(240);
});
