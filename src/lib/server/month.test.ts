import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { DateTime } from 'luxon';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Estate } from '$lib/core/estate/schema';
import { parseScope } from '$lib/core/scope/scope';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { demandCurve } from './capacity';
import { all, one, openDb, type Db } from './db';
import { verifyData } from './verify';
import { loadEstate, makeHistory } from './history';
import { usedLinesAt } from './images';
import { curvesOf } from './live/ribbon';
import { vaultOf } from './vault';
import { peopleUsing } from './publishing';
import { publicationsAt } from './publications';
import { needsAt } from './house/needs';
import { cellsAt, figuresAt, machinesPage, peopleBySite, peoplePage, poolCounts, sessionsPage } from './watch';

/**
 * A month on an estate of another kind (`e2e/upland.yaml`), over two changes of clocks, half an hour one of them. Each figure is worked out
 * here once more, row by row from what was observed and with another library's calendar, and has to be the same wherever it is shown.
 */

let estate: Estate;
let db: Db;
let end: number;
const dataDir = mkdtempSync(join(tmpdir(), 'sextant-test-month-'));
afterAll(() => rmSync(dataDir, { recursive: true, force: true }));

interface Session {
	id: number;
	person: number;
	login: string;
	team: string;
	machine: number;
	pool: string;
	site: string;
	publication: string;
	since: number;
	until: number;
}
let sessions: Session[];
let states: { machine: number; since: number; until: number; state: string }[];
let machines: { id: number; name: string; pool: string; site: string }[];

beforeAll(async () => {
	const read = loadEstate('e2e/upland.yaml');
	if ('problems' in read) throw new Error(read.problems.map((p) => p.message).join('\n'));
	({ estate } = read);
	db = openDb(':memory:');
	await makeHistory(db, estate, vaultOf(Buffer.alloc(32, 3)), dataDir);
	end = estate.lab.opens;
	sessions = all(
		db,
		`SELECT s.id, s.person_id AS person, p.login, (SELECT team_id FROM memberships WHERE person_id = p.id AND home = 1) AS team, s.machine_id AS machine, m.pool_id AS pool, m.site_id AS site, s.publication_id AS publication, s.since, s.until
		 FROM sessions s JOIN people p ON p.id = s.person_id JOIN machines m ON m.id = s.machine_id`
	);
	states = all(db, 'SELECT machine_id AS machine, since, until, state FROM machine_states');
	machines = all(db, 'SELECT id, name, pool_id AS pool, site_id AS site FROM machines');
}, 400_000);

/** Moments all over the month, odd minutes among them, more of them around the changes of clocks. */
function moments(): number[] {
	const from = end - 30 * DAY;
	const even = Array.from(
		{ length: 60 },
		(_v, i) => from + HOUR + Math.floor(((end - from - 2 * HOUR) * i) / 59 / 1000) * 1000
	);
	const changes = ['2027-03-14T05:31:00Z', '2027-04-03T15:00:00Z'].map((t) => Date.parse(t));
	return [...even, ...changes.flatMap((t) => [-90, -31, -1, 0, 1, 29, 61, 120].map((m) => t + m * MINUTE))];
}
const openAt = (at: number) => sessions.filter((s) => s.since <= at && s.until > at);
const stateAt = (machine: number, at: number) =>
	states.find((s) => s.machine === machine && s.since <= at && s.until > at)!.state;
const tally = <T>(items: readonly T[], of: (item: T) => string) => {
	const counts = new Map<string, number>();
	for (const i of items) counts.set(of(i), (counts.get(of(i)) ?? 0) + 1);
	return counts;
};
const people = (of: readonly Session[]) => new Set(of.map((s) => s.person)).size;
const scopeOf = (text: string) => parseScope(text).scope;

describe('a month of another estate', () => {
	test('was lived: everybody came, and what is kept is sound', () => {
		expect(new Set(sessions.map((s) => s.login)).size).toBe(estate.directory.people.length - 1);
		expect(sessions.length).toBeGreaterThan(250);
		expect(verifyData(db)).toEqual([]);
		const needs = needsAt(db, scopeOf(''), end).needs;
		expect(needs.filter((n) => n.unit.includes('Sextant'))).toEqual([]);
		// Three people want one of two personal machines: whoever came last gave up, day after day.
		expect(needs.find((n) => /gave up waiting for Modelling/.test(n.title))).toMatchObject({
			plan: { kind: 'pool.grow', input: { pool: 'models', count: 1 } }
		});
	});

	test('figures, lists, cells, pools, sites, versions and publications say the same, and what the rows say', () => {
		for (const at of moments()) {
			const open = openAt(at);
			const up = machines.filter((m) => !['off', 'failed'].includes(stateAt(m.id, at)));
			const figures = figuresAt(db, scopeOf(''), at);
			expect(figures).toMatchObject({ people: people(open), sessions: open.length, machines: 13, up: up.length });
			const price = new Map(estate.pools.map((p) => [p.id, Math.round(p.price_hour * 100)]));
			expect(figures.costHour).toBe(up.reduce((n, m) => n + price.get(m.pool)!, 0));
			const ask = { at, scope: scopeOf(''), descending: false, limit: 500, offset: 0 };
			expect(
				sessionsPage(db, { ...ask, sort: 'person' })
					.rows.map((s) => s.id)
					.sort()
			).toEqual(open.map((s) => s.id).sort());
			const listed = machinesPage(db, { ...ask, sort: 'name' }).rows;
			expect(listed.map((m) => [m.name, m.state, m.sessions])).toEqual(
				[...machines]
					.sort((a, b) => (a.name < b.name ? -1 : 1))
					.map((m) => [m.name, stateAt(m.id, at), open.filter((s) => s.machine === m.id).length])
			);
			expect(peoplePage(db, { ...ask, sort: 'name' }).total).toBe(estate.directory.people.length);
			const cells = cellsAt(db, scopeOf(''), at).flatMap((p) => p.cells);
			expect(cells.filter((c) => c.mark === 'off').length).toBe(
				machines.filter((m) => stateAt(m.id, at) === 'off').length
			);
			const pools = poolCounts(db, at);
			for (const p of estate.pools) {
				expect(pools.get(p.id)).toMatchObject({
					machines: p.count,
					up: up.filter((m) => m.pool === p.id).length,
					sessions: open.filter((s) => s.pool === p.id).length,
					people: people(open.filter((s) => s.pool === p.id))
				});
				const own = open.filter((s) => s.pool === p.id);
				expect(figuresAt(db, scopeOf(`pool:${p.id}`), at)).toMatchObject({ people: people(own), sessions: own.length });
			}
			const sites = peopleBySite(db, scopeOf(''), at);
			for (const s of estate.sites) expect(sites.get(s.id) ?? 0).toBe(people(open.filter((o) => o.site === s.id)));
			// A team with those below it.
			expect(figuresAt(db, scopeOf('team:gauges'), at).people).toBe(
				people(open.filter((s) => s.team === 'gauges' || s.team === 'dams'))
			);
			const using = peopleUsing(db, publicationsAt(db, at), at);
			for (const [id, who] of using) expect(who.size).toBe(people(open.filter((s) => s.publication === id)));
			for (const line of usedLinesAt(db, at)) {
				const poolsOf = estate.pools.filter((p) => p.line === line.id).map((p) => p.id);
				expect(line.machines).toBe(machines.filter((m) => poolsOf.includes(m.pool)).length);
				expect(Math.max(...line.versions.map((v) => v.people))).toBe(
					people(open.filter((s) => poolsOf.includes(s.pool)))
				);
			}
		}
	});

	test('curves are what was open at each step', () => {
		for (const at of [end, end - 6 * DAY - 7 * MINUTE, Date.parse('2027-04-03T18:10:00Z')]) {
			const curves = curvesOf(db, scopeOf(''), at);
			curves.tide.forEach((n, i) => {
				const t = curves.from + i * curves.step;
				// Counted while it was open: what had ended by the step is not.
				expect(n, new Date(t).toISOString()).toBe(sessions.filter((s) => s.since <= t && s.until > t).length);
			});
			const bins = demandCurve(db, at - DAY, 96, { pool: 'ktm-desks' }, 15 * MINUTE);
			const waits = all<{ since: number; until: number; pools: string }>(db, 'SELECT since, until, pools FROM waits');
			bins.forEach((n, i) => {
				const t = at - DAY + i * 15 * MINUTE;
				const wanted =
					sessions.filter((s) => s.pool === 'ktm-desks' && s.since <= t && s.until > t).length +
					waits.filter((w) => (JSON.parse(w.pools) as string[])[0] === 'ktm-desks' && w.since <= t && w.until > t)
						.length;
				expect(n).toBe(wanted);
			});
		}
	});

	test('people come and go by the clock of their site, whatever it has been set to', () => {
		const zones = new Map(estate.sites.map((s) => [s.id, s.time_zone]));
		const byLogin = new Map(estate.directory.people.map((p) => [p.login, p]));
		const minutes = (login: string, t: number) => {
			const local = DateTime.fromMillis(t, { zone: zones.get(byLogin.get(login)!.site)! });
			return local.hour * 60 + local.minute;
		};
		const began = (pattern: string) =>
			sessions.filter((s) => byLogin.get(s.login)!.pattern === pattern).map((s) => minutes(s.login, s.since));
		// Mornings lie around ten, whoever comes back from lunch does so by two; nobody begins after five.
		const office = began('office');
		expect(office.length).toBeGreaterThan(150);
		expect(office.every((m) => m > 8 * 60 && m < 17 * 60)).toBe(true);
		expect(office.filter((m) => m > 9 * 60 && m < 11.5 * 60).length / office.length).toBeGreaterThan(0.6);
		const nights = began('nights');
		expect(nights.length).toBeGreaterThan(50);
		expect(nights.every((m) => m > 20 * 60 || m < 5.5 * 60)).toBe(true);
		// Saturday is free in the office's week, on the calendar of each site.
		const weekdays = tally(
			sessions.filter((s) => byLogin.get(s.login)!.pattern === 'office'),
			(s) => DateTime.fromMillis(s.since, { zone: zones.get(byLogin.get(s.login)!.site)! }).weekdayShort!
		);
		expect([...weekdays.keys()].sort()).toEqual(['Fri', 'Mon', 'Sun', 'Thu', 'Tue', 'Wed']);
	});

	test('headroom is kept in the hours of each site: machines are started ahead there, and not at night', () => {
		const inHours = (zone: string, t: number) => {
			const local = DateTime.fromMillis(t, { zone });
			return local.weekday !== 6 && local.hour * 60 + local.minute >= 570 && local.hour * 60 + local.minute < 1050;
		};
		for (const pool of estate.pools.filter((p) => p.assignment === 'shared')) {
			const { time_zone } = estate.sites.find((s) => s.id === pool.site)!;
			const free = (t: number) =>
				machines.filter(
					(m) => m.pool === pool.id && ['ready', 'in use', 'leaving', 'starting', 'agent up'].includes(stateAt(m.id, t))
				).length *
					2 -
				openAt(t).filter((s) => s.pool === pool.id).length;
			let [within, kept] = [0, 0];
			for (let t = end - 29 * DAY; t < end; t += 97 * MINUTE) {
				// The first minutes of the day are still on their way.
				if (!inHours(time_zone, t) || !inHours(time_zone, t - 10 * MINUTE)) continue;
				within++;
				const all = machines
					.filter((m) => m.pool === pool.id)
					.every((m) => !['off', 'failed'].includes(stateAt(m.id, t)));
				if (free(t) >= pool.policy.headroom_in || all) kept++;
			}
			expect(within).toBeGreaterThan(80);
			expect(kept / within).toBeGreaterThan(0.97);
		}
		expect(one<{ n: number }>(db, 'SELECT count(*) AS n FROM power_actions')!.n).toBeGreaterThan(50);
	});
});
