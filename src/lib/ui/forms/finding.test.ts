import { expect, test } from 'vitest';
import { folded, meantBy, type Pickable } from './finding';

const people: Pickable[] = [
	{ id: 'eve', name: 'Eve Lind' },
	{ id: 'eve2', name: 'Eve Lind' },
	{ id: 'oli', name: 'Óli Þór' },
	{ id: 'ida', name: 'eve' },
	{ id: 'sato', name: '佐藤 花子' }
];

test.each([
	['eve', 'eve'],
	[' EVE2 ', 'eve2'],
	['oli þor', 'oli'],
	['佐藤 花子', 'sato'],
	// Two are called so: nobody is meant until one is picked.
	['Eve Lind', undefined],
	['Eve', 'eve'],
	['Ev', undefined],
	['', undefined]
])('%j means %j', (text, id) => expect(meantBy(text, people)?.id).toBe(id));

test('text is compared without case and marks', () => {
	expect(folded('ÅSE Nørgård')).toBe('ase nørgard');
});
