import { expect, test } from 'vitest';
import { shownClock } from '../context';
import { openDb } from '../db';
import { shared, standing } from './shared';

const estate = { at: 1000, now: () => estate.at, speed: () => 1 };

test('whoever asks within two seconds looks at one moment; what is done moves it on', () => {
	let wall = 0;
	const clock = shownClock(estate, () => wall);
	expect(clock.shown()).toBe(1000);
	estate.at = 1500;
	wall = 1999;
	expect([clock.shown(), clock.now()]).toEqual([1000, 1500]);
	wall = 2000;
	expect(clock.shown()).toBe(1500);
	estate.at = 1600;
	clock.next();
	expect(clock.shown()).toBe(1600);
});

test('what is asked alike is worked out once for each moment, and anew once something was done', () => {
	const db = openDb(':memory:');
	const clock = shownClock(estate, () => 0);
	let asked = 0;
	const ask = (question: string, at = clock.shown()) => shared({ db, clock }, question, at, () => ++asked);
	expect([ask('a'), ask('a'), ask('b'), ask('a', 5), ask('a')]).toEqual([1, 1, 2, 3, 1]);
	// The clock stands still, and yet the estate is another one.
	clock.next();
	expect(ask('a')).toBe(4);
	expect(shared({ db: openDb(':memory:'), clock }, 'a', clock.shown(), () => 'another')).toBe('another');
});

test('a present whose answers take long is held longer, up to five seconds', () => {
	let wall = 0;
	const clock = shownClock(estate, () => wall);
	const shownAt = (t: number) => {
		estate.at = 10_000 + t;
		wall = t;
		return clock.shown();
	};
	const first = shownAt(0);
	clock.spent(600);
	expect([shownAt(2100), shownAt(2399)]).toEqual([first, first]);
	const second = shownAt(2400);
	expect(second).toBe(12_400);
	clock.spent(9000);
	expect(shownAt(7300)).toBe(second);
	expect(shownAt(7400)).toBe(17_400);
	// Whoever has done something waits for nothing.
	clock.spent(9000);
	clock.next();
	expect(shownAt(7500)).toBe(17_500);
});

test('what failed is asked anew, and told to all who asked meanwhile', async () => {
	const db = openDb(':memory:');
	const clock = shownClock(estate, () => 0);
	let asked = 0;
	const ask = () =>
		shared({ db, clock }, 'late', clock.shown(), () =>
			++asked === 1 ? Promise.reject(new Error('not now')) : Promise.resolve(asked)
		);
	const [a, b] = [ask(), ask()];
	await expect(a).rejects.toThrow('not now');
	await expect(b).rejects.toThrow('not now');
	expect([await ask(), await ask()]).toEqual([2, 2]);
});

test('what stands is not asked for anew when something was done, but at another moment', () => {
	const db = openDb(':memory:');
	const clock = shownClock(estate, () => 0);
	let asked = 0;
	const ask = (at: number) => standing({ db, clock }, 'curves', at, () => ++asked);
	expect([ask(5), ask(5)]).toEqual([1, 1]);
	clock.next();
	expect([ask(5), ask(10)]).toEqual([1, 2]);
	// It is another answer than one that is shared under the same words.
	expect(shared({ db, clock }, 'standing curves', 5, () => 'other')).toBe('other');
});
