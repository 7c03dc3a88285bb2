import fc from 'fast-check';
import { expect, test } from 'vitest';
import { distance, folded, nearest } from './nearest';

test('text is folded as people mean it, in any script', () => {
	expect(['Ñuñez', 'ÅRE', 'МУКА', 'Ｆｕｌｌ', 'हिन्दी'].map(folded)).toEqual(['nunez', 'are', 'мука', 'full', 'हिन्दी']);
});
test('the distance of two texts is the least number of steps', () => {
	expect([
		distance('bergen', 'bregen', 9),
		distance('a', '', 9),
		distance('', 'abc', 9),
		distance('abc', 'xyz', 1)
	]).toEqual([2, 1, 3, 2]);
	fc.assert(
		fc.property(fc.string({ maxLength: 8 }), fc.string({ maxLength: 8 }), (a, b) => {
			expect(distance(a, b, 20)).toBe(distance(b, a, 20));
			expect(distance(a, a, 20)).toBe(0);
		})
	);
});
test('the nearest is named, and none when none is near', () => {
	const names = ['Bergen', 'Halifax', 'Hobart', '北京'];
	expect([nearest('bregen', names), nearest('hal', names), nearest('nowhere', names), nearest('北', names)]).toEqual([
		'Bergen',
		'Halifax',
		null,
		'北京'
	]);
});
