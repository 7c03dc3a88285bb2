import { expect, test } from 'vitest';
import { slug } from './slug';

test('a name gives an id in its own script, and two names that differ give two', () => {
	expect(['Chart Studio', 'Ñuñez', '李娜', 'Мука 2', 'हिन्दी', '  '].map(slug)).toEqual([
		'chart-studio',
		'nunez',
		'李娜',
		'мука-2',
		'हिन्दी',
		''
	]);
	expect(slug('!!!')).toBe('');
	expect(slug('😀')).toMatch(/^x-[0-9a-f]{10}$/);
	expect(slug('😀')).not.toBe(slug('😁'));
});
