import { expect, test } from 'vitest';
import { shownClock } from '../context';
import { openDb } from '../db';
import { shared } from './shared';

const estate = { at: 1000, now: () => estate.at, speed: () => 1 };

test('whoever asks within a second looks at one moment; what is done moves it on', () => {
	let wall = 0;
	const clock = shownClock(estate, () => wall);
	expect(clock.shown()).toBe(1000);
	estate.at = 1500;
	wall = 999;
	expect([clock.shown(), clock.now()]).toEqual([1000, 1500]);
	wall = 1000;
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
