import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { DAY, HOUR, MINUTE } from '../time/units';
import { wallTime } from '../time/zone';
import { forecast, judge, together } from './forecast';
import { placeSession } from './placement';
import { decidePower, type PowerMachine, type PowerPolicy } from './policy';

const policy: PowerPolicy = {
	hours: { days: [1, 2, 3, 4, 5], from: 390, until: 1050 },
	headroomIn: 4,
	headroomOut: 1,
	least: 1,
	most: 10,
	patience: 20 * MINUTE,
	placing: 'fill'
};
const TUESDAY = Date.parse('2026-11-17T10:00:00Z');
const machine = (name: string, state: PowerMachine['state'], more: Partial<PowerMachine> = {}): PowerMachine => ({
	name,
	state,
	sessions: 0,
	idleSince: TUESDAY - HOUR,
	held: false,
	...more
});
const off = (n: number) => Array.from({ length: n }, (_, i) => machine(`m${i}`, 'off'));

describe('a power policy', () => {
	test('starts what is missing of the headroom, by name', () => {
		const d = decidePower(policy, 'UTC', TUESDAY, 2, off(8), 0);
		expect(d.value.map((a) => `${a.action} ${a.machine}`)).toEqual(['start m0', 'start m1']);
		expect(d.value[0]!.why.at(-1)!.words).toMatch(/4 seats missing/);
	});

	test('keeps less outside its hours', () => {
		expect(decidePower(policy, 'UTC', Date.parse('2026-11-17T22:00:00Z'), 2, off(8), 0).value).toHaveLength(1);
	});

	test('adds people who wait', () => {
		expect(decidePower(policy, 'UTC', TUESDAY, 2, off(8), 3).value).toHaveLength(4);
	});

	test('counts machines on their way up', () => {
		expect(
			decidePower(policy, 'UTC', TUESDAY, 2, [machine('a', 'starting'), machine('b', 'agent up'), ...off(5)], 0).value
		).toEqual([]);
	});

	test('says when the most is too little', () => {
		const d = decidePower({ ...policy, most: 1 }, 'UTC', TUESDAY, 2, off(8), 0);
		expect(d.value).toHaveLength(1);
		expect(d.facts.some((f) => /allows 1 up/.test(f.words))).toBe(true);
	});

	test('stops the one that has been idle longest, once its patience is over', () => {
		const ready = ['a', 'b', 'c', 'd'].map((n, i) =>
			machine(n, 'ready', { idleSince: TUESDAY - (i + 1) * 12 * MINUTE })
		);
		expect(decidePower(policy, 'UTC', TUESDAY, 2, ready, 0).value.map((a) => a.machine)).toEqual(['d', 'c']);
	});

	const state = fc.constantFrom<PowerMachine['state']>(
		'off',
		'starting',
		'agent up',
		'ready',
		'in use',
		'leaving',
		'failed'
	);
	const machines = fc.array(
		fc
			.record({
				state,
				sessions: fc.integer({ min: 0, max: 3 }),
				idle: fc.integer({ min: 0, max: 90 }),
				held: fc.boolean()
			})
			.map(({ state, sessions, idle, held }) => ({
				state,
				sessions: state === 'in use' ? Math.max(1, sessions) : 0,
				idleSince: TUESDAY - idle * MINUTE,
				held
			})),
		{ maxLength: 14 }
	);
	test('never stops under anyone, never touches what is held, never leaves its bounds, never starts and stops at once', () => {
		fc.assert(
			fc.property(machines, fc.integer({ min: 0, max: 6 }), (list, waiting) => {
				const all = list.map((m, i) => ({ ...m, name: `m${i}` }));
				const actions = decidePower(policy, 'UTC', TUESDAY, 3, all, waiting).value;
				const by = new Map(all.map((m) => [m.name, m]));
				for (const a of actions) {
					const m = by.get(a.machine)!;
					expect(m.held).toBe(false);
					if (a.action === 'stop') expect([m.state, m.sessions]).toEqual(['ready', 0]);
					else expect(m.state).toBe('off');
					expect(a.why.length).toBeGreaterThan(0);
				}
				expect(new Set(actions.map((a) => a.action)).size).toBeLessThanOrEqual(1);
				const up = all.filter((m) => !['off', 'failed'].includes(m.state)).length;
				const after =
					up + actions.filter((a) => a.action === 'start').length - actions.filter((a) => a.action === 'stop').length;
				if (actions.some((a) => a.action === 'start')) expect(after).toBeLessThanOrEqual(policy.most);
				if (actions.some((a) => a.action === 'stop')) expect(after).toBeGreaterThanOrEqual(policy.least);
			})
		);
	});
});

describe('placing a session', () => {
	const c = (name: string, sessions: number, strain = 10) => ({ name, sessions, holds: 3, strain });
	test('fills the fullest, or spreads to the emptiest', () => {
		expect(placeSession([c('a', 1), c('b', 2)], 'fill').value).toBe('b');
		expect(placeSession([c('a', 1), c('b', 2)], 'spread').value).toBe('a');
	});
	test('passes over the full and, while it can, the strained', () => {
		expect(placeSession([c('a', 3), c('b', 2, 95), c('c', 0)], 'fill').value).toBe('c');
		expect(placeSession([c('b', 2, 95)], 'fill').value).toBe('b');
	});
	test('says why there is none', () => {
		expect(placeSession([c('a', 3)], 'fill')).toMatchObject({
			value: null,
			facts: [{ words: expect.stringMatching(/full/) }]
		});
		expect(placeSession([], 'fill').facts[0]!.words).toMatch(/no machine is up/);
	});
});

describe('a forecast', () => {
	const weekday = (t: number) => new Date(t).getUTCDay() || 7;
	test('takes days of the same kind, the same weekday twice', () => {
		const past = (t: number) => (weekday(t) === 2 ? 40 : weekday(t) > 5 ? 3 : 10);
		const f = forecast(TUESDAY + HOUR, TUESDAY, past, 'UTC')!;
		// Two Tuesdays count twice, eight other working days once: (2·2·40 + 8·10) / 12.
		expect(f.middle).toBeCloseTo(20, 5);
		expect(forecast(Date.parse('2026-11-21T10:00:00Z'), TUESDAY, past, 'UTC')!.middle).toBe(3);
	});
	test('is never surer than chance arrivals allow', () => {
		expect(forecast(TUESDAY + HOUR, TUESDAY, () => 100, 'UTC')!.spread).toBeGreaterThanOrEqual(1.645 * 10);
	});
	test('knows nothing of nothing', () => {
		expect(forecast(TUESDAY, TUESDAY, () => null, 'UTC')).toBeNull();
		expect(forecast(TUESDAY + HOUR, TUESDAY, (t) => (t < TUESDAY - 2 * DAY ? null : 5), 'UTC')!.days).toBeLessThan(3);
	});
	test('goes by the clock of those who sit there: the week after clocks were changed is as the week before', () => {
		// At work from eight to four in Oslo; clocks went back on 25 October 2026.
		const level = (t: number) => {
			const { weekday, minute } = wallTime('Europe/Oslo', t);
			return weekday < 6 && minute >= 480 && minute < 960 ? 50 : 0;
		};
		const now = Date.parse('2026-10-26T05:00:00Z');
		for (const [at, wanted] of [
			['2026-10-26T06:45:00Z', 0],
			['2026-10-26T07:15:00Z', 50],
			['2026-10-26T14:45:00Z', 50],
			['2026-10-26T15:15:00Z', 0]
		] as const)
			expect(forecast(Date.parse(at), now, level, 'Europe/Oslo')!.middle, at).toBe(wanted);
	});
	test('of people in several zones is that of each, by their own weekdays', () => {
		const of = (zone: string) => (t: number) => (wallTime(zone, t).weekday > 5 ? 0 : 30);
		// Monday morning in Auckland is Sunday in Oslo.
		const at = Date.parse('2026-11-15T20:00:00Z');
		const zones = ['Pacific/Auckland', 'Europe/Oslo'];
		const f = together(zones.map((z) => forecast(at, at - HOUR, of(z), z)))!;
		expect(f.middle).toBe(30);
		expect(together([null, null])).toBeNull();
	});
	test('is judged by what came about: how often within its band, and how far from its ends', () => {
		const f = { middle: 10, spread: 5, days: 3 };
		expect(judge([7, 15, 16, 30].map((was) => ({ forecast: f, was })))).toMatchObject({ moments: 4, coverage: 0.5 });
		// Of one at 30: 0.95·(30−15) above the upper end, 0.05·(30−5) above the lower.
		expect(judge([{ forecast: f, was: 30 }])!.pinball).toBeCloseTo((0.95 * 15 + 0.05 * 25) / 2, 9);
		expect(judge([{ forecast: null, was: 3 }])).toBeNull();
	});
});
