import { beforeEach, describe, expect, test } from 'vitest';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { all, run } from '../db';
import { Harness } from '../testing/harness';
import { AT_ONCE, moveTime, signOutTime } from './expected';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of();
});
const machines = () => all<{ id: number }>(h.db, `SELECT id FROM machines WHERE pool_id = 'quay'`).map((m) => m.id);

describe('the time that moves take', () => {
	const past = (took: number, error: string | null = null) => {
		for (let i = 0; i < 30; i++)
			run(
				h.db,
				`INSERT INTO moves(machine_id, line_id, from_version, to_version, began, ended, error, facts) VALUES (?, 'desk', '1.0.0', '1.1.0', ?, ?, ?, '[]')`,
				[machines()[0], i * HOUR, i * HOUR + took, error]
			);
	};

	test('of no machine is none; of more rounds, more', () => {
		expect(moveTime(h.db, 0)).toEqual({ middle: 0, ninety: 0 });
		const one = moveTime(h.db, AT_ONCE).middle;
		expect(moveTime(h.db, 1).middle).toBe(one);
		expect(moveTime(h.db, 4 * AT_ONCE).middle).toBeGreaterThan(3 * one);
		expect(moveTime(h.db, 8, 1).middle).toBeGreaterThan(moveTime(h.db, 8, 8).middle);
	});

	test('follows the moves that there were, and not those that failed', () => {
		past(60 * MINUTE, 'it failed');
		const assumed = moveTime(h.db, 1).middle;
		past(10 * MINUTE);
		const measured = moveTime(h.db, 1).middle;
		expect(measured).toBeGreaterThan(assumed * 2);
		expect(measured / (10 * MINUTE)).toBeGreaterThan(0.9);
		expect(measured / (10 * MINUTE)).toBeLessThan(1.2);
	});

	test('of very many machines is found quickly, and grows with them', () => {
		expect(moveTime(h.db, 20_000).middle / moveTime(h.db, 10_000).middle).toBeCloseTo(2, 1);
	});
});

describe('the time until people have left', () => {
	test('is none where nobody is on', () => {
		expect(signOutTime(h.db, machines(), h.lab.now)).toEqual({ middle: 0, ninety: 0 });
	});

	test('follows how long sessions of the pool lasted', () => {
		const { now } = h.lab;
		const [machine] = machines();
		const session = (id: number, since: number, until: number) =>
			run(
				h.db,
				`INSERT INTO sessions(id, person_id, machine_id, publication_id, gateway_id, protocol, since, until, sign_in, connection_id) VALUES (?, 1, ?, 'desk', 'quay-gw', 'stream', ?, ?, 1000, ?)`,
				[id, machine, since, until, id]
			);
		for (let i = 0; i < 50; i++) session(1000 + i, now - 30 * HOUR - 6 * HOUR, now - 30 * HOUR);
		session(2000, now - 2 * HOUR, FOREVER);
		const { middle, ninety } = signOutTime(h.db, machines(), now);
		// All lasted six hours; this one has lasted two.
		expect(middle / HOUR).toBeCloseTo(4, 1);
		expect(ninety / HOUR).toBeCloseTo(4, 1);
		expect(signOutTime(h.db, [], now)).toEqual({ middle: 0, ninety: 0 });
	});
});
