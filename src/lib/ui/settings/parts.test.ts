import { expect, it } from 'vitest';
import { readPart } from '$lib/core/access/part';
import { partOf, partOptions } from './parts';

const names = {
	site: [
		{ id: 'north', name: 'Northby' },
		{ id: 'south', name: 'Southby' }
	],
	team: [{ id: 'night watch', name: 'Night Watch' }]
};

it('what is picked is written so that it reads back', () => {
	expect(partOptions(names).map((o) => o.name)).toEqual(['in Northby', 'in Southby', 'team Night Watch']);
	const text = partOf(['site:south', 'team:night watch', 'site:north']);
	expect(readPart(text)).toEqual({ part: { site: ['south', 'north'], team: ['night watch'] }, problems: [] });
	expect(partOf([])).toBe('');
});
