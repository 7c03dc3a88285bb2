import { expect, test } from 'vitest';
import { median, quantile } from './quantile';

test('quantiles lie on the line between what stands beside them', () => {
	expect(quantile([1, 2, 3, 4], 0.5)).toBe(2.5);
	expect(quantile([1, 2, 3, 4], 0)).toBe(1);
	expect(quantile([1, 2, 3, 4], 1)).toBe(4);
	expect(quantile([10], 0.9)).toBe(10);
	expect(quantile([], 0.5)).toBeNaN();
});

test('the median needs no order, and leaves its values as they were', () => {
	const values = [9, 1, 5, 3];
	expect(median(values)).toBe(4);
	expect(values).toEqual([9, 1, 5, 3]);
	expect(median([7, 1, 3])).toBe(3);
	expect(median([])).toBeNaN();
});
