import { describe, expect, test } from 'vitest';
import { surely } from './surely';

/** Somewhere to step from, where the first so many steps are called off; `meanwhile`: what happens at one of those. */
function walk(calledOff: number, meanwhile: (w: { at: string; way: string | null }) => void = () => {}) {
	const w = { at: 'a', way: null as string | null, steps: 0 };
	const step = async (to: string) => {
		w.way = to;
		if (++w.steps > calledOff) [w.at, w.way] = [to, null];
		else meanwhile(w);
	};
	return surely({ here: () => w.at, onItsWay: () => w.way, step }, 'b').then(() => w);
}

describe('a step to an address', () => {
	test('is made once', async () => expect(await walk(0)).toMatchObject({ at: 'b', steps: 1 }));
	test('is made again where it was called off', async () => expect(await walk(2)).toMatchObject({ at: 'b', steps: 3 }));
	test('is given up at last', async () => expect(await walk(99)).toMatchObject({ at: 'a', steps: 4 }));
	test('leaves whoever has gone elsewhere there', async () =>
		expect(await walk(1, (w) => (w.at = 'c'))).toMatchObject({ at: 'c', steps: 1 }));
	test('calls no later step to elsewhere off', async () =>
		expect(await walk(1, (w) => (w.way = 'c'))).toMatchObject({ at: 'a', way: 'c', steps: 1 }));
	test('to where one is already is made once', async () => {
		let steps = 0;
		await surely({ here: () => 'b', onItsWay: () => null, step: async () => void steps++ }, 'b');
		expect(steps).toBe(1);
	});
});
