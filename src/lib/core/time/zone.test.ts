import { DateTime } from 'luxon';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { hoursWords, inHours, parseClock, parseDays } from './hours';
import { clockWords, knowsZone, momentOf, offsetAt, wallTime } from './zone';

const ZONES = ['Europe/Oslo', 'America/Halifax', 'Australia/Hobart', 'UTC'];
const moments = fc.integer({ min: Date.UTC(2026, 0, 1), max: Date.UTC(2027, 11, 31) });

describe('wall time', () => {
	test('agrees with Luxon everywhere', () => {
		fc.assert(
			fc.property(fc.constantFrom(...ZONES), moments, (zone, at) => {
				const local = DateTime.fromMillis(at, { zone });
				expect(wallTime(zone, at)).toMatchObject({ weekday: local.weekday, minute: local.hour * 60 + local.minute });
			})
		);
	});

	test('the moment of a wall time shows that wall time, but for the hour that is skipped', () => {
		fc.assert(
			fc.property(fc.constantFrom(...ZONES), moments, fc.integer({ min: 0, max: 1439 }), (zone, near, minute) => {
				const { day } = wallTime(zone, near);
				const shown = wallTime(zone, momentOf(zone, day, minute));
				const skipped = offsetAt(zone, momentOf(zone, day, 0)) !== offsetAt(zone, momentOf(zone, day, 1439));
				if (!skipped) expect(shown).toMatchObject({ day, minute });
				else expect(Math.abs(shown.minute - minute)).toBeLessThanOrEqual(60);
			})
		);
	});

	test('a minute that the clock jumps over comes just after the jump', () => {
		const day = wallTime('Europe/Oslo', Date.UTC(2026, 2, 29, 12)).day;
		expect(clockWords('Europe/Oslo', momentOf('Europe/Oslo', day, 2 * 60 + 30))).toBe('03:30');
	});

	/** The changes of a zone within ten years, to the minute. */
	const known = new Map<string, number[]>();
	function changes(zone: string): number[] {
		const before = known.get(zone);
		if (before) return before;
		const found: number[] = [];
		known.set(zone, found);
		const offset = (at: number) => DateTime.fromMillis(at, { zone }).offset;
		const WEEK = 14 * 86_400_000;
		for (let at = Date.UTC(2019, 0, 1); at < Date.UTC(2029, 0, 1); at += WEEK) {
			if (offset(at) === offset(at + WEEK)) continue;
			let [low, high] = [at, at + WEEK];
			while (high - low > 60_000) {
				const middle = Math.floor((low + high) / 2 / 60_000) * 60_000;
				if (offset(middle) === offset(at)) low = middle;
				else high = middle;
			}
			found.push(high);
		}
		return found;
	}
	const CHANGING = Intl.supportedValuesOf('timeZone').filter((zone) => changes(zone).length > 0);

	test('in every zone with a change in ten years: right to the minute around it, once and twice shown times alike', () => {
		expect(CHANGING.length).toBeGreaterThan(100);
		expect(CHANGING).toEqual(expect.arrayContaining(['Australia/Lord_Howe', 'Pacific/Chatham', 'America/St_Johns']));
		for (const zone of CHANGING)
			for (const change of changes(zone).slice(0, 6))
				for (const by of [-181, -121, -61, -60, -31, -30, -29, -1, 0, 1, 14, 29, 30, 31, 59, 60, 61, 121]) {
					const at = change + by * 60_000;
					const local = DateTime.fromMillis(at, { zone });
					expect(offsetAt(zone, at), `${zone} ${new Date(at).toISOString()}`).toBe(local.offset * 60_000);
					const { day, minute } = wallTime(zone, at);
					// The library gives every moment that shows this wall time; the first of them counts (RFC 5545, 3.3.5).
					const first = Math.min(...local.getPossibleOffsets().map((d) => d.toMillis()));
					expect(momentOf(zone, day, minute), `${zone} ${local.toISO()}`).toBe(first);
				}
	});

	test('a time that a clock skips is as if it had not: by the offset before (RFC 5545, 3.3.5)', () => {
		for (const zone of CHANGING)
			for (const change of changes(zone).slice(0, 4)) {
				const before = offsetAt(zone, change - 60_000);
				const jump = offsetAt(zone, change) - before;
				if (jump <= 0) continue;
				const skipped = change + before + Math.floor(jump / 2 / 60_000) * 60_000;
				const day = Math.floor(skipped / 86_400_000);
				expect(momentOf(zone, day, (skipped - day * 86_400_000) / 60_000)).toBe(skipped - before);
			}
	});

	test('an unknown zone is an error, not UTC', () => {
		expect(() => offsetAt('Europe/Atlantis', 0)).toThrow(RangeError);
		expect(knowsZone('Europe/Atlantis')).toBe(false);
	});
});

describe('hours', () => {
	const office = { days: [1, 2, 3, 4, 5], from: 390, until: 1050 };
	const at = (iso: string) => Date.parse(iso);

	test('are read on the wall clock of the place', () => {
		expect(inHours(office, 'Europe/Oslo', at('2026-11-17T06:29:00+01:00'))).toBe(false);
		expect(inHours(office, 'Europe/Oslo', at('2026-11-17T06:30:00+01:00'))).toBe(true);
		expect(inHours(office, 'America/Halifax', at('2026-11-17T06:30:00+01:00'))).toBe(false);
		expect(inHours(office, 'Europe/Oslo', at('2026-11-17T17:30:00+01:00'))).toBe(false);
		expect(inHours(office, 'Europe/Oslo', at('2026-11-21T10:00:00+01:00'))).toBe(false);
	});

	test('run past midnight into the next day', () => {
		const night = { days: [5], from: 1320, until: 360 };
		expect(inHours(night, 'UTC', at('2026-11-20T23:00:00Z'))).toBe(true);
		expect(inHours(night, 'UTC', at('2026-11-21T05:59:00Z'))).toBe(true);
		expect(inHours(night, 'UTC', at('2026-11-20T05:00:00Z'))).toBe(false);
	});

	test('all day is all day', () => {
		expect(inHours({ days: [1, 2, 3, 4, 5, 6, 7], from: 0, until: 1440 }, 'UTC', at('2026-11-21T23:59:00Z'))).toBe(
			true
		);
	});

	test('read and write as people do', () => {
		expect(parseDays('Mon-Fri')).toEqual([1, 2, 3, 4, 5]);
		expect(parseDays('Sat-Mon')).toEqual([1, 6, 7]);
		expect(parseDays('Mon,Wed')).toEqual([1, 3]);
		expect(parseDays('Someday')).toBeNull();
		expect(parseClock('24:00')).toBe(1440);
		expect(parseClock('7:5')).toBeNull();
		expect(hoursWords(office)).toBe('Mon–Fri 06:30–17:30');
		expect(hoursWords({ days: [1, 3], from: 0, until: 60 })).toBe('Mon, Wed 00:00–01:00');
	});
});
