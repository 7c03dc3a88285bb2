import { beforeEach, describe, expect, test } from 'vitest';
import { MINUTE, SECOND } from '$lib/core/time/units';
import { Rate, Throttle, type Guess } from './attempts';

let now = 0;
let throttle: Throttle;
beforeEach(() => {
	now = 1000;
	throttle = new Throttle(() => now);
});
const taken = (guess: Guess) => !('outcome' in throttle.begin(guess));
const owner = (address = '10.0.0.1'): Guess => ({ account: 'owner', address });

describe('guessing', () => {
	test('many at once are as many one after the other: the first few are checked, the rest are not', () => {
		const guesses = Array.from({ length: 400 }, () => taken(owner()));
		expect(guesses.filter(Boolean)).toHaveLength(8);
	});
	test('waits that grow, up to a quarter of an hour', () => {
		for (let i = 0; i < 8; i++) taken(owner());
		let wait = 0;
		for (let i = 0; i < 12; i++) {
			let waited = 0;
			while (!taken(owner())) {
				now += SECOND;
				waited += SECOND;
			}
			expect(waited).toBeGreaterThanOrEqual(wait);
			wait = waited;
		}
		expect(wait).toBeGreaterThan(10 * MINUTE);
		expect(wait).toBeLessThanOrEqual(15 * MINUTE + SECOND);
		expect(throttle.begin(owner())).toEqual({ outcome: 'too many', waitMinutes: 15 });
	});
	test('a right answer begins anew', () => {
		for (let i = 0; i < 7; i++) taken(owner());
		(throttle.begin(owner()) as { right(): void }).right();
		expect(Array.from({ length: 8 }, () => taken(owner())).every(Boolean)).toBe(true);
	});
	test('nobody keeps somebody else out: from elsewhere the wait is a minute at most, and a known device has none', () => {
		for (let i = 0; i < 5000; i++) {
			taken(owner(`10.1.${i % 250}.${i % 17}`));
			now += 20;
		}
		expect(taken({ ...owner('192.0.2.7'), device: 'desk' })).toBe(true);
		now += MINUTE;
		expect(taken(owner('192.0.2.7'))).toBe(true);
	});
	test('from one address at many accounts, and from many addresses at many, is held up as well', () => {
		const one = Array.from({ length: 300 }, (_v, i) => taken({ account: `a${i}`, address: '10.0.0.1' }));
		expect(one.filter(Boolean).length).toBe(60);
		const many = Array.from({ length: 3000 }, (_v, i) =>
			taken({ account: `a${i}`, address: `10.2.${i >> 8}.${i & 255}` })
		);
		expect(many.filter(Boolean).length).toBeLessThan(500);
	});
	test('a clock that is set is none of its business', () => {
		for (let i = 0; i < 9; i++) taken(owner());
		const real = new Throttle();
		for (let i = 0; i < 9; i++) real.begin(owner());
		const before = Date.now;
		Date.now = () => 0;
		try {
			const answer = real.begin(owner());
			expect('outcome' in answer && answer.waitMinutes).toBe(1);
		} finally {
			Date.now = before;
		}
	});
});

test('a rate lets so many through within its span, for each', () => {
	const rate = new Rate(3, 1000, () => now);
	expect([1, 2, 3, 4].map(() => rate.take('a'))).toEqual([true, true, true, false]);
	expect(rate.take('b')).toBe(true);
	now += 1000;
	expect(rate.take('a')).toBe(true);
});
