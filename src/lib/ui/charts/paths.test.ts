import { expect, test } from 'vitest';
import { bandPath, linePath, stepPath } from './paths';

test('a line goes through its points, to a tenth of a pixel', () => {
	expect(
		linePath([
			[0, 1],
			[10, 2.3456]
		])
	).toBe('M0,1L10,2.3');
});

test('a step keeps its height until the next point', () => {
	expect(
		stepPath([
			[0, 1],
			[10, 4]
		])
	).toBe('M0,1L10,1L10,4');
});

test('a band goes out along its upper edge and back along the lower', () => {
	const path = bandPath([
		[0, 1, 5],
		[10, 2, 6]
	]);
	expect(path).toBe('M0,5L10,6L10,2L0,1Z');
});

test('nothing is drawn of nothing', () => {
	for (const path of [linePath, stepPath, bandPath]) expect(path([])).toBe('');
});
