import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { beforeAll, describe, expect, test } from 'vitest';
import { parseScope } from '$lib/core/scope/scope';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { cursorOf, readCursor } from '../house/lists';
import { demandCurve, demandForecast } from '../capacity';
import { all } from '../db';
import { verifyData } from '../verify';
import { vaultOf } from '../vault';
import { makeHistory } from '../history';
import { openDb, type Db } from '../db';
import { curvesOf, ribbonOf } from '../live/ribbon';
import { testEstate } from '../testing/harness';
import { needsAt } from '../house/needs';
import { machinesPage, sessionsPage } from './lists';
import type { PageAsk } from '../lists/kind';
import { cellsAt, figuresAt, samplesOf } from './queries';

let db: Db;
let now: number;

const history = async (seed = 7) => {
	const estate = testEstate('e2e/small.yaml', (e) => {
		e.lab.seed = seed;
		e.lab.history_days = 1.2;
		e.faults = [
			{
				kind: 'agent-stopped',
				target: 'quay-01',
				at: Date.parse('2026-11-17T09:00:00+01:00'),
				until: undefined,
				value: undefined
			}
		];
	});
	const made = openDb(':memory:');
	const lab = await makeHistory(made, estate, vaultOf(Buffer.alloc(32)), mkdtempSync(join(tmpdir(), 'sextant-lists-')));
	return { made, lab };
};
beforeAll(async () => {
	const { made, lab } = await history();
	db = made;
	now = lab.now;
});

const ask = (scope: string, at = now, more: Partial<PageAsk> = {}): PageAsk => ({
	at,
	scope: parseScope(scope).scope,
	sort: 'name',
	descending: false,
	limit: 100,
	offset: 0,
	...more
});
const names = (scope: string, at = now) => machinesPage(db, ask(scope, at)).rows.map((r) => r.name);
const TABLES = [
	'machines',
	'machine_states',
	'machine_spots',
	'sessions',
	'session_states',
	'connections',
	'waits',
	'power_actions',
	'samples_15m',
	'samples_1m',
	'failing_checks',
	'findings'
];

describe('a history', () => {
	test('is the same to the row for the same file and seed', async () => {
		const again = (await history()).made;
		for (const table of TABLES)
			expect(all(again, `SELECT * FROM ${table}`), table).toEqual(all(db, `SELECT * FROM ${table}`));
		expect(all(db, 'SELECT * FROM sessions').length).toBeGreaterThan(3);
		const other = (await history(8)).made;
		expect(all(other, 'SELECT * FROM connections')).not.toEqual(all(db, 'SELECT * FROM connections'));
	});
	test('leaves no interval without its thing, none that overlaps', () => expect(verifyData(db)).toEqual([]));
	test('rolls minutes up to their averages', () => {
		const quarter = Math.floor((now - 2 * HOUR) / (15 * MINUTE)) * 15 * MINUTE;
		const minutes = all<{ machine_id: number; cores: number; n: number; strain: number }>(
			db,
			'SELECT machine_id, avg(cores) AS cores, max(strain) AS strain, count(*) AS n FROM samples_1m WHERE at >= ? AND at < ? GROUP BY 1',
			[quarter, quarter + 15 * MINUTE]
		);
		expect(minutes.length).toBeGreaterThan(0);
		for (const m of minutes) {
			const [row] = all<{ cores: number; strain: number }>(
				db,
				'SELECT cores, strain FROM samples_15m WHERE at = ? AND machine_id = ?',
				[quarter, m.machine_id]
			);
			expect(row).toEqual({ cores: Math.round(m.cores), strain: m.strain });
		}
	});
});

describe('lists under scope', () => {
	test.each([
		['', 11],
		['site:isle', 3],
		['-site:isle', 8],
		['pool:quay,own', 8],
		['machine:quay-01', 1],
		['line:desk version:1.0.0', 11],
		['version:9.9.9', 0],
		['quay', 6],
		['host:quay-h1,quay-h2', 8]
	])('“%s” holds %i machines', (scope, n) => {
		expect(machinesPage(db, ask(scope)).total).toBe(n);
		expect(names(scope)).toHaveLength(n);
	});

	test('by people on them: team, person, sign-in', () => {
		const open = all<{ login: string; machine: string; sign_in: number }>(
			db,
			'SELECT p.login, m.name AS machine, s.sign_in FROM sessions s JOIN people p ON p.id = s.person_id JOIN machines m ON m.id = s.machine_id WHERE s.since <= ? AND s.until > ?',
			[now, now]
		);
		expect(open.length).toBeGreaterThan(0);
		const of = (keep: (s: (typeof open)[number]) => boolean) =>
			[...new Set(open.filter(keep).map((s) => s.machine))].sort();
		expect(names('team:everybody')).toEqual(of(() => true));
		expect(names(`person:${open[0]!.login}`)).toEqual(of((s) => s.login === open[0]!.login));
		expect(names('signin>1ms')).toEqual(of(() => true));
		expect(names('signin>1h')).toEqual([]);
		expect(names('team:visitors')).toEqual([]);
	});

	test('as they were: the states of a past moment, not of now', () => {
		const at = Date.parse('2026-11-17T03:00:00+01:00');
		const then = Object.fromEntries(machinesPage(db, ask('', at)).rows.map((r) => [r.name, r.state]));
		for (const row of all<{ name: string; state: string }>(
			db,
			'SELECT m.name, s.state FROM machines m JOIN machine_states s ON s.machine_id = m.id AND s.since <= ? AND s.until > ?',
			[at, at]
		))
			expect(then[row.name]).toBe(row.state);
		expect(sessionsPage(db, ask('', at)).total).toBe(0);
		expect(machinesPage(db, ask('', 1000)).total).toBe(0);
	});

	test('sorted by any column, cut into pages without loss', () => {
		for (const sort of ['name', 'pool', 'state', 'strain', 'sessions', 'since', 'host']) {
			const whole = machinesPage(db, ask('', now, { sort, descending: true })).rows.map((r) => r.name);
			const cut = [0, 4, 8].flatMap((offset) =>
				machinesPage(db, ask('', now, { sort, descending: true, limit: 4, offset })).rows.map((r) => r.name)
			);
			expect(cut, sort).toEqual(whole);
		}
	});

	test('terms that mean nothing for a list are named, not silently kept or dropped', () => {
		expect(machinesPage(db, ask('site:quay signin>5s')).left).toEqual([]);
		expect(sessionsPage(db, ask('sessions>3')).left).toMatchObject([{ measure: 'sessions' }]);
	});

	test('text with quotes or wildcards is only text', () => {
		expect(machinesPage(db, ask(`"' OR 1=1 --"`)).total).toBe(0);
		expect(names(`pool:"quay' OR '1'='1"`)).toEqual([]);
	});
});

describe('figures', () => {
	test('agree with the lists and the cells they summarise', () => {
		for (const scope of ['', 'site:quay', 'pool:isle']) {
			const f = figuresAt(db, parseScope(scope).scope, now);
			const machines = machinesPage(db, ask(scope)).rows;
			const cells = cellsAt(db, parseScope(scope).scope, now).flatMap((p) => p.cells);
			expect(f.machines).toBe(machines.length);
			expect(f.up).toBe(machines.filter((m) => m.state !== 'off' && m.state !== 'failed').length);
			expect(f.unusable).toBe(cells.filter((c) => c.mark === 'trouble').length);
			expect(f.sessions).toBe(sessionsPage(db, ask(scope)).total);
			expect(cells.map((c) => c.name).sort()).toEqual(machines.map((m) => m.name).sort());
		}
		expect(figuresAt(db, parseScope('').scope, now).unusable).toBe(1);
	});
	test('the ribbon’s tide ends at the sessions of now, in every scope', () => {
		for (const scope of ['', 'site:quay', 'site:isle', 'team:harbour']) {
			const ribbon = ribbonOf(db, curvesOf(db, parseScope(scope).scope, now), now);
			const at = ribbon.from + (ribbon.tide.length - 1) * ribbon.step;
			expect(ribbon.tide.at(-1), scope).toBe(sessionsPage(db, ask(scope, at)).total);
			expect(ribbon.capacity.every((c, i) => c >= 0 && Number.isInteger(ribbon.tide[i]))).toBe(true);
		}
	});
	test('demand is counted alike for curve and forecast', () => {
		expect(demandForecast(db, now, 3, { pool: 'quay' }).now).toBe(demandCurve(db, now, 1, { pool: 'quay' })[0]);
		expect(demandForecast(db, now, 3, null).ahead.length).toBeGreaterThan(5);
	});
	test('Today names the machine that is unusable, with the plan that would repair it', () => {
		const need = needsAt(db, parseScope('').scope, now).needs.find((n) => n.key === 'check-quay-01')!;
		expect(need).toMatchObject({ plan: { kind: 'runbook.run', input: { machine: 'quay-01', check: 'agent' } } });
		expect(
			needsAt(db, parseScope('site:isle').scope, now).needs.find((n) => n.key === 'check-quay-01')
		).toBeUndefined();
	});
});

describe('samples', () => {
	test('come from the finest rollup that keeps the points few', () => {
		const [m] = all<{ id: number }>(
			db,
			`SELECT machine_id AS id FROM samples_1m GROUP BY 1 ORDER BY count(*) DESC LIMIT 1`
		);
		expect(samplesOf(db, m!.id, now - 6 * HOUR, now).step).toBe(MINUTE);
		const day = samplesOf(db, m!.id, now - 24 * HOUR, now);
		expect(day.step).toBe(15 * MINUTE);
		expect(day.points.length).toBeLessThanOrEqual(96);
		expect(day.points.every((p, i) => i === 0 || p.at > day.points[i - 1]!.at)).toBe(true);
	});
});

test('a cursor reads back, and nothing else does', () => {
	expect(readCursor(cursorOf(200, 5))).toEqual({ offset: 200, at: 5 });
	for (const text of ['', 'abc', Buffer.from('[-1,5]').toString('base64url'), Buffer.from('{}').toString('base64url')])
		expect(readCursor(text)).toBeNull();
});
