import { expect, test } from 'vitest';
import { sumOfWaits, type Wait } from './waits';

const wait = (at: number, login: string, waited = 10, gaveUp = false): Wait => ({
	at,
	waited,
	login,
	name: login.toUpperCase(),
	gaveUp
});

test('people, times and give-ups are counted apart, and the first are named', () => {
	const sum = sumOfWaits(
		[wait(5, 'anna'), wait(6, 'bo', 40, true), wait(105, 'anna', 30), wait(110, 'anna')],
		0,
		100,
		2
	);
	expect(sum).toMatchObject({ people: 2, times: 4, gaveUp: 1, longest: 40 });
	expect(sum.first.map((w) => w.login)).toEqual(['anna', 'bo']);
	expect(sum.marks).toEqual([
		{ at: 0, times: 2, people: 2, longest: 40, name: null },
		{ at: 100, times: 2, people: 1, longest: 30, name: 'ANNA' }
	]);
});
test('one that began before the first step stands before it; none come to nothing', () => {
	expect(sumOfWaits([wait(-5, 'anna')], 0, 100).marks[0]!.at).toBe(-100);
	expect(sumOfWaits([], 0, 100)).toEqual({ people: 0, times: 0, gaveUp: 0, longest: 0, first: [], marks: [] });
});
test('a hundred thousand are as many marks as there are steps', () => {
	const many = Array.from({ length: 100_000 }, (_v, i) => wait(i, `p${i % 5000}`));
	const sum = sumOfWaits(many, 0, 1000);
	expect([sum.marks.length, sum.first.length, sum.people]).toEqual([100, 6, 5000]);
});
