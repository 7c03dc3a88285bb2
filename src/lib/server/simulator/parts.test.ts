import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { wallTime } from '$lib/core/time/zone';
import { localDay, workDay } from './people';
import { popTimed, pushTimed, type Timed } from './queue';
import { about, hash, hashText, normal, uniform } from './random';
import type { SimPerson } from './state';

describe('the queue', () => {
	test('gives back by time, and those of the same time in the order they came', () => {
		fc.assert(
			fc.property(fc.array(fc.integer({ min: 0, max: 20 })), (times) => {
				const heap: Timed[] = [];
				times.forEach((t, n) => pushTimed(heap, { t, n }));
				const out: Timed[] = [];
				for (let next = popTimed(heap); next; next = popTimed(heap)) out.push(next);
				expect(out).toEqual(times.map((t, n) => ({ t, n })).sort((a, b) => a.t - b.t || a.n - b.n));
			})
		);
	});
	test('goes on from its plain array', () => {
		const heap: Timed[] = [];
		[5, 1, 3].forEach((t, n) => pushTimed(heap, { t, n }));
		const copy = JSON.parse(JSON.stringify(heap)) as Timed[];
		expect(popTimed(copy)).toEqual({ t: 1, n: 1 });
	});
});

describe('randomness', () => {
	const draws = Array.from({ length: 20_000 }, (_, i) => uniform(7, i));
	test('is a function of what it is drawn for', () => {
		expect(hash(1, 2, 3)).toBe(hash(1, 2, 3));
		expect(hash(1, 2, 3)).not.toBe(hash(1, 3, 2));
		expect(hash(1, 1e13)).not.toBe(hash(1, 2e13));
		expect(hashText('bgo-br-001')).not.toBe(hashText('bgo-br-002'));
	});
	test('is spread evenly', () => {
		const tenths = new Array<number>(10).fill(0);
		for (const d of draws) tenths[Math.floor(d * 10)]!++;
		// χ² with 9 degrees of freedom: 27.9 is exceeded once in a thousand.
		expect(tenths.reduce((x, n) => x + (n - 2000) ** 2 / 2000, 0)).toBeLessThan(27.9);
	});
	test('is normal where it says so, and centred on one as a factor', () => {
		const z = Array.from({ length: 20_000 }, (_, i) => normal(3, i));
		const mean = z.reduce((a, b) => a + b) / z.length;
		expect(Math.abs(mean)).toBeLessThan(0.03);
		expect(z.reduce((a, b) => a + (b - mean) ** 2, 0) / z.length).toBeCloseTo(1, 1);
		const factors = Array.from({ length: 2001 }, (_, i) => about(0.2, i)).sort((a, b) => a - b);
		expect(factors[1000]).toBeCloseTo(1, 1);
		expect(factors[0]).toBeGreaterThan(0);
	});
});

describe('a working day', () => {
	const person = (zone: string, index: number): SimPerson => ({
		login: 'p',
		index,
		name: 'P',
		mail: null,
		employment: 'employee',
		manager: null,
		language: null,
		begins: 0,
		ends: Infinity,
		moves: [],
		site: 's',
		zone,
		team: 't',
		others: [],
		teams: ['t'],
		pattern: 'day',
		profile: 1,
		managed: true,
		address: '',
		open: []
	});
	const pattern = {
		id: 'day',
		kind: 'day' as const,
		days: [1, 2, 3, 4, 5],
		from: 480,
		until: 960,
		spread: 30 * MINUTE,
		turnout: 0.9
	};
	const days = Array.from({ length: 28 }, (_, i) => localDay(person('UTC', 1), Date.UTC(2026, 10, 2)) + i);

	test('is the same whenever it is asked', () => {
		for (const day of days)
			expect(workDay(person('Europe/Oslo', 5), pattern, day, 1)).toEqual(
				workDay(person('Europe/Oslo', 5), pattern, day, 1)
			);
	});
	test('keeps to the days and about the hours of its pattern, on the wall clock of the site', () => {
		for (const zone of ['Europe/Oslo', 'Australia/Hobart']) {
			for (let index = 0; index < 40; index++) {
				for (const day of days) {
					const work = workDay(person(zone, index * 977), pattern, day, 1);
					const weekday = ((day + 3) % 7) + 1;
					if (weekday > 5) expect(work).toBeNull();
					if (!work) continue;
					expect(work.until).toBeGreaterThan(work.from);
					expect(wallTime(zone, work.from).day).toBe(day);
					expect(Math.abs(wallTime(zone, work.from).minute - 460)).toBeLessThan(180);
					if (work.lunch) expect(work.lunch.from > work.from && work.lunch.until < work.until).toBe(true);
				}
			}
		}
	});
	test('comes as often as the pattern turns out', () => {
		const all = Array.from({ length: 200 }, (_, i) =>
			days.filter((d) => ((d + 3) % 7) + 1 <= 5).map((d) => workDay(person('UTC', i * 7919), pattern, d, 1))
		).flat();
		expect(all.filter(Boolean).length / all.length).toBeCloseTo(0.9, 1);
	});
	test.each(['day', 'field'] as const)('goes on over midnight where a %s pattern ends before it begins', (kind) => {
		const night = { ...pattern, kind, from: 1320, until: 360, turnout: 1 };
		for (let index = 0; index < 40; index++)
			for (const day of days) {
				const work = workDay(person('Asia/Kathmandu', index * 977), night, day, 1);
				if (!work) continue;
				expect(work.lunch).toBeNull();
				const hours = (work.until - work.from) / HOUR;
				const began = (wallTime('Asia/Kathmandu', work.from).minute + 720) % 1440;
				if (kind === 'day') {
					expect(hours).toBeGreaterThan(4);
					expect(hours).toBeLessThan(12);
					expect(Math.abs(began - 600)).toBeLessThan(180);
				} else {
					expect(hours).toBeLessThan(2.5);
					expect(began).toBeGreaterThanOrEqual(600);
					expect(began).toBeLessThanOrEqual(600 + 8 * 60);
				}
			}
	});
	test('shifts cover the clock round', () => {
		const shifts = { ...pattern, kind: 'shifts' as const, turnout: 1 };
		const hours = new Set<number>();
		for (let index = 0; index < 4; index++)
			for (const day of days) {
				const work = workDay(person('UTC', index), shifts, day, 1);
				if (work)
					for (let t = work.from; t < work.until; t += HOUR / 2) hours.add(Math.floor(wallTime('UTC', t).minute / 60));
			}
		expect(hours.size).toBe(24);
	});
});
