import { wholeDirectory } from '../simulator/directory';
import { Lab } from '../simulator/lab';
import { beforeEach, describe, expect, test } from 'vitest';
import { DAY, FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { EVERYTHING, parseScope } from '$lib/core/scope/scope';
import { openDb, putSetting, run, type Db } from '../db';
import { vaultOf } from '../vault';
import { settleEstate } from '../settle';
import { curvesOf, ribbonOf } from '../live/ribbon';
import { testEstate } from '../testing/harness';
import type { Context } from '../context';
import { demandCurve, demandForecast } from './demand';
import { capacityComparisons } from './findings';
import { STEP } from './kept-counts';

/** A Tuesday, 10:00 in Quay; a fortnight of weekdays lies behind it, each from 08:00 to 16:00 with `level` sessions. */
const NOW = Date.parse('2026-11-17T10:00:00+01:00');
let db: Db;
let id = 0;

const person = (login: string) => (db.prepare('SELECT id FROM people WHERE login = ?').get(login) as { id: number }).id;
function machine(name: string, pool: string, site: string): number {
	const { lastInsertRowid } = run(
		db,
		'INSERT INTO machines(name, pool_id, site_id, since, until) VALUES (?, ?, ?, ?, ?)',
		[name, pool, site, NOW - 20 * DAY, FOREVER]
	);
	const m = Number(lastInsertRowid);
	run(db, 'INSERT INTO machine_spots VALUES (?, ?, ?, 1, ?, ?, ?, ?, NULL)', [
		m,
		NOW - 20 * DAY,
		FOREVER,
		'quay-v1',
		'desk',
		'1.0.0',
		'10.1.0.20'
	]);
	run(db, 'INSERT INTO machine_states VALUES (?, ?, ?, ?, ?)', [m, NOW - 20 * DAY, FOREVER, 'ready', 'tests']);
	return m;
}
function session(on: number, from: number, to: number, login = 'anna'): void {
	run(db, 'INSERT INTO sessions VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, NULL, ?)', [
		++id,
		person(login),
		on,
		'desk',
		'quay-gw',
		'stream',
		from,
		to,
		9000,
		id
	]);
	run(db, 'INSERT INTO session_states VALUES (?, ?, ?, ?, ?)', [id, from, to, 'active', 'tests']);
}

let quay: number;
let isle: number;
beforeEach(() => {
	db = openDb(':memory:');
	id = 0;
	settleEstate(db, testEstate(), NOW - 20 * DAY, {
		directory: wholeDirectory(testEstate(), new Lab(testEstate()).world),
		vault: vaultOf(Buffer.alloc(32))
	});
	putSetting(db, 'history began', String(NOW - 20 * DAY));
	quay = machine('quay-01', 'quay', 'quay');
	isle = machine('isle-01', 'isle', 'isle');
	for (let d = 1; d <= 15; d++) {
		const eight = NOW - 2 * HOUR - d * DAY;
		if (new Date(eight).getUTCDay() % 6 === 0) continue;
		for (let n = 0; n < 6; n++) session(quay, eight, eight + 8 * HOUR);
		session(isle, eight + 4 * HOUR, eight + 12 * HOUR, 'dag');
	}
	for (let n = 0; n < 6; n++) session(quay, NOW - 2 * HOUR, FOREVER);
});

describe('demand', () => {
	test('counts the sessions open at each step', () => {
		expect(demandCurve(db, NOW - 3 * HOUR, 5, null, HOUR)).toEqual([0, 6, 6, 6, 6]);
		expect(demandCurve(db, NOW - 3 * HOUR, 3, { pool: 'isle' }, HOUR)).toEqual([0, 0, 0]);
		const yesterday = NOW - DAY;
		expect(demandCurve(db, yesterday + 3 * HOUR, 4, null, HOUR)).toEqual([7, 7, 7, 1]);
		expect(
			demandCurve(db, yesterday + 3 * HOUR, 4, { sql: 's.gateway_id = @g', params: { g: 'isle-gw' } }, HOUR)
		).toEqual([0, 0, 0, 0]);
	});

	test('is forecast from the same minutes of the days behind', () => {
		const { now, ahead } = demandForecast(db, NOW, 12, null);
		expect(now).toBe(6);
		const at = (hours: number) => ahead.find((a) => a.at === NOW + hours * HOUR)!;
		expect(at(1).middle).toBeCloseTo(6, 5);
		expect(at(4).middle).toBeCloseTo(7, 5);
		expect(at(7).middle).toBeCloseTo(1, 5);
		expect(at(11).middle).toBeCloseTo(0, 5);
		expect(demandForecast(db, NOW, 12, { pool: 'isle' }).ahead.at(20)!.middle).toBeCloseTo(1, 5);
	});

	test('counts kept from one forecast to the next are those that a fresh count gives', () => {
		const key = 'the same question';
		const of = { sql: 's.machine_id = @m', params: { m: quay } };
		demandForecast(db, NOW, 12, of, key);
		// Sessions end, others begin, and a day passes in steps that are no quarter hours.
		for (let t = NOW; t < NOW + DAY + 2 * HOUR; t += 47 * MINUTE) {
			if (t % (3 * 47 * MINUTE) < 47 * MINUTE) session(quay, t, t + 3 * HOUR);
			const kept = demandForecast(db, t, 12, of, key);
			const fresh = demandForecast(db, t, 12, of, `fresh ${t}`);
			expect(kept).toEqual(fresh);
		}
		// Looking back asks the same question of an earlier moment.
		expect(demandForecast(db, NOW - 3 * HOUR, 12, of, key)).toEqual(demandForecast(db, NOW - 3 * HOUR, 12, of, 'back'));
	});

	test('knows nothing before the history began', () => {
		putSetting(db, 'history began', String(NOW - HOUR));
		expect(demandForecast(db, NOW, 12, null).ahead).toEqual([]);
	});
});

describe('the ribbon', () => {
	const end = (r: ReturnType<typeof ribbonOf>) => r.tide.at(-1);
	test('spans a day behind and half a day ahead, in steps', () => {
		const r = ribbonOf(db, curvesOf(db, EVERYTHING, NOW), NOW);
		expect([r.from, r.to, r.now]).toEqual([NOW - DAY, NOW + 12 * HOUR, NOW]);
		expect(r.tide).toHaveLength(DAY / r.step + 1);
		expect(end(r)).toBe(6);
		expect(r.capacity.at(-1)).toBe(4);
		expect(r.ahead.at(-1)!.at).toBeLessThanOrEqual(r.to);
		expect(r.ahead[0]!.at % STEP).toBe(0);
	});
	test('under a scope counts what is in it: sessions, capacity and forecast', () => {
		const r = ribbonOf(db, curvesOf(db, parseScope('site:isle').scope, NOW), NOW);
		expect(end(r)).toBe(0);
		expect(Math.max(...r.tide)).toBe(1);
		expect(r.capacity.at(-1)).toBe(2);
		expect(Math.max(...r.ahead.map((a) => a.middle))).toBeCloseTo(1, 5);
		expect(end(ribbonOf(db, curvesOf(db, parseScope('person:dag').scope, NOW), NOW))).toBe(0);
		expect(end(ribbonOf(db, curvesOf(db, parseScope('-site:isle').scope, NOW), NOW))).toBe(6);
		expect(end(ribbonOf(db, curvesOf(db, parseScope('site:quay team:harbour').scope, NOW), NOW))).toBe(6);
	});
	test('shows incidents from when they began, cut at its edge, and not those that ended before', () => {
		const finding = (since: number, until: number) =>
			run(
				db,
				`INSERT INTO findings(kind, subject_kind, subject_id, site_id, since, until, title, people, facts, remedy) VALUES ('gateway port', 'gateway', ?, 'quay', ?, ?, 'wrong port', 3, '[]', NULL)`,
				[`gw-${since}`, since, until]
			);
		finding(NOW - 3 * DAY, NOW - 2 * DAY);
		finding(NOW - 2 * DAY, NOW - 5 * HOUR);
		finding(NOW - 2 * HOUR, FOREVER);
		const { incidents, from } = ribbonOf(db, curvesOf(db, EVERYTHING, NOW), NOW);
		expect(incidents.map((i) => [i.from, i.to])).toEqual([
			[from, NOW - 5 * HOUR],
			[NOW - 2 * HOUR, NOW]
		]);
	});
});

describe('a pool that runs out', () => {
	const found = async () => capacityComparisons[0]!.look({ db } as Context, NOW - HOUR);
	const state = (id: number, state: string) =>
		run(db, 'UPDATE machine_states SET state = ? WHERE machine_id = ?', [state, id]);

	test('is found by its own usable machines alone: none of another pool, and none that has failed', async () => {
		// Room for six, whom it will have; elsewhere there is room for twelve.
		const others = ['quay-02', 'quay-03', 'quay-04', 'quay-05'].map((name) => machine(name, 'quay', 'quay'));
		for (let n = 2; n <= 6; n++) machine(`isle-0${n}`, 'isle', 'isle');
		expect(await found()).toEqual([]);
		for (const id of others.slice(1)) state(id, 'failed');
		const [finding, ...more] = await found();
		expect(more).toEqual([]);
		expect(finding).toMatchObject({ kind: 'pool runs out', subject: { kind: 'pool', id: 'quay' } });
		expect(JSON.stringify(finding)).toContain('the pool has 2 usable machines');
		expect(finding!.people).toBeGreaterThanOrEqual(2);
	});

	test('is not one that has no machine in order at all: that is told of elsewhere', async () => {
		expect((await found()).map((f) => f.subject.id)).toEqual(['quay']);
		state(quay, 'failed');
		state(isle, 'failed');
		expect(await found()).toEqual([]);
	});
});
