import { expect, test } from 'vitest';
import { counted } from './need';

test('people stand before whatever else is counted, since needs are ranked by them', () => {
	const words = ['endpoint', 'endpoints'] as const;
	expect(counted(2, 5, words)).toEqual({ people: 2, count: 2, unit: 'people' });
	expect(counted(1, 1, words)).toEqual({ people: 1, count: 1, unit: 'person' });
	expect(counted(0, 5, words)).toEqual({ people: 0, count: 5, unit: 'endpoints' });
	expect(counted(0, 1, words)).toEqual({ people: 0, count: 1, unit: 'endpoint' });
});
