import { describe, expect, test } from 'vitest';
import { surely } from './surely';

/** Somewhere to step from, where the first so many steps are called off. */
function walk(calledOff: number, elsewhere = false) {
	const w = { at: 'a', steps: 0 };
	const done = surely(
		() => w.at,
		'b',
		async (to) => {
			if (++w.steps > calledOff) w.at = to;
			else if (elsewhere) w.at = 'c';
		}
	);
	return done.then(() => w);
}

describe('a step to an address', () => {
	test('is made once', async () => expect(await walk(0)).toEqual({ at: 'b', steps: 1 }));
	test('is made again where it was called off', async () => expect(await walk(2)).toEqual({ at: 'b', steps: 3 }));
	test('is given up at last', async () => expect(await walk(99)).toEqual({ at: 'a', steps: 4 }));
	test('leaves whoever has gone elsewhere there', async () =>
		expect(await walk(1, true)).toEqual({ at: 'c', steps: 1 }));
	test('to where one is already is made once', async () => {
		let steps = 0;
		await surely(
			() => 'a',
			'a',
			async () => void steps++
		);
		expect(steps).toBe(1);
	});
});
