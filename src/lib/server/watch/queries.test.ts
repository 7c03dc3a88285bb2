import { beforeAll, describe, expect, test } from 'vitest';
import { EVERYTHING, parseScope } from '$lib/core/scope/scope';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { all, one } from '../db';
import { Harness, testEstate } from '../testing/harness';
import { machinesPage, sessionsPage } from './lists';
import type { PageAsk } from '../lists/kind';
import {
	cellsAt,
	connectionOf,
	connectionsOf,
	failedConnections,
	figuresAt,
	loadAt,
	machineByName,
	peopleBySite,
	poolCounts,
	samplesOf,
	sessionsOn,
	usualPhases
} from './queries';

let h: Harness;
let now: number;
beforeAll(async () => {
	h = await Harness.of(testEstate());
	await h.live(3 * HOUR, 20_000);
	h.lab.apply({ kind: 'fault', fault: 'agent-stopped', target: 'isle-01', value: null });
	await h.live(7 * MINUTE);
	now = h.lab.now;
});

const page = (scope: string): PageAsk => ({
	at: now,
	scope: parseScope(scope).scope,
	sort: '',
	descending: false,
	limit: 500,
	offset: 0
});
const sum = (numbers: Iterable<number>) => [...numbers].reduce((n, x) => n + x, 0);

describe('figures', () => {
	test.for(['', 'site:quay', 'pool:quay', 'team:harbour', '-site:isle'])(
		'under “%s” are the same in the line, the lists and the cells',
		(text) => {
			const { scope } = parseScope(text);
			const figures = figuresAt(h.db, scope, now);
			const machines = machinesPage(h.db, page(text));
			const sessions = sessionsPage(h.db, page(text));
			const cells = cellsAt(h.db, scope, now).flatMap((p) => p.cells);
			expect(figures.machines).toBe(machines.total);
			expect(figures.sessions).toBe(sessions.total);
			expect(figures.people).toBe(new Set(sessions.rows.map((s) => s.login)).size);
			expect(cells).toHaveLength(machines.total);
			expect(cells.map((c) => c.name).sort()).toEqual(machines.rows.map((m) => m.name).sort());
			expect(figures.unusable).toBe(cells.filter((c) => c.mark === 'trouble').length);
			expect(figures.up).toBe(machines.rows.filter((m) => m.state !== 'off' && m.state !== 'failed').length);
		}
	);

	test('of pools and of sites come to those of everything', () => {
		const figures = figuresAt(h.db, EVERYTHING, now);
		const pools = [...poolCounts(h.db, now).values()];
		expect(sum(pools.map((p) => p.machines))).toBe(figures.machines);
		expect(sum(pools.map((p) => p.up))).toBe(figures.up);
		expect(sum(pools.map((p) => p.sessions))).toBe(figures.sessions);
		expect(pools.every((p) => p.usable <= p.up && p.up <= p.machines)).toBe(true);
		// Somebody on machines of two sites counts at both, and once in all.
		expect(sum(peopleBySite(h.db, EVERYTHING, now).values())).toBeGreaterThanOrEqual(figures.people);
		expect([...peopleBySite(h.db, parseScope('site:quay').scope, now).keys()]).toEqual(['quay']);
	});

	test('of the past are those of the past', () => {
		const before = figuresAt(h.db, EVERYTHING, now - 2 * HOUR);
		expect(before).toEqual(figuresAt(h.db, EVERYTHING, now - 2 * HOUR));
		expect(before.machines).toBe(sum([...poolCounts(h.db, now - 2 * HOUR).values()].map((p) => p.machines)));
		expect(figuresAt(h.db, EVERYTHING, 1)).toMatchObject({ machines: 0, people: 0, sessions: 0 });
	});
});

describe('a machine', () => {
	test('is found by its name while it is there, and after; not before', () => {
		const m = machineByName(h.db, 'quay-01', now)!;
		expect(m.since).toBeLessThan(now);
		expect(machineByName(h.db, 'quay-01', m.since - 1)).toBe(null);
		expect(machineByName(h.db, 'quay-99', now)).toBe(null);
	});

	test('has the load of its last minute, the newest of its samples', () => {
		const row = machinesPage(h.db, page('state:"in use"')).rows[0]!;
		const { id } = machineByName(h.db, row.name, now)!;
		const load = loadAt(h.db, id, now)!;
		const { step, points } = samplesOf(h.db, id, now - HOUR, now);
		expect(step).toBe(MINUTE);
		expect(points.length).toBeGreaterThan(30);
		expect(points.every((p, i) => i === 0 || p.at > points[i - 1]!.at)).toBe(true);
		expect(points.at(-1)).toMatchObject({ cores: load.cores, memory: load.memory });
		expect(loadAt(h.db, id, 1)).toBe(null);
	});

	test('has sessions, with whose they are', () => {
		const ids = all<{ id: number }>(h.db, 'SELECT id FROM machines').map((m) => m.id);
		const sessions = sessionsOn(h.db, ids);
		expect(sessions).toHaveLength(figuresAt(h.db, EVERYTHING, now).sessions);
		expect(sessions.map((s) => s.person)).toEqual(sessions.map((s) => s.person).sort());
		expect(sessionsOn(h.db, [])).toEqual([]);
	});
});

describe('connections', () => {
	test('of a person are theirs, newest first, and lead to the session that they opened', () => {
		const [session] = sessionsOn(
			h.db,
			all<{ id: number }>(h.db, 'SELECT id FROM machines').map((m) => m.id)
		);
		const person = one<{ id: number }>(h.db, 'SELECT id FROM people WHERE login = ?', [session!.login])!;
		const record = connectionsOf(h.db, person.id, now);
		expect(record.length).toBeGreaterThan(0);
		expect(record.every((c) => c.login === session!.login)).toBe(true);
		expect(record.map((c) => c.ended)).toEqual(record.map((c) => c.ended).sort((a, b) => b - a));
		const opened = connectionOf(h.db, session!.id)!;
		expect(opened).toMatchObject({ result: 'open', session: session!.id, machine: session!.machine });
		expect(opened.took).toBeGreaterThanOrEqual(Math.max(...opened.phases.map((p) => p.ms)));
		expect(connectionsOf(h.db, person.id, record.at(-1)!.ended - 1)).toEqual([]);
		expect(connectionOf(h.db, -1)).toBe(null);
	});

	test('that came to nothing are those of the span, with the cause', async () => {
		const { connection } = await h.ctx.providers.broker.connect('eve', 'desk', true, 'refused');
		await h.live(2 * MINUTE);
		expect((await h.ctx.providers.broker.connection(connection))!.result).toBe('refused');
		const failed = failedConnections(h.db, now, h.lab.now);
		expect(failed.some((c) => c.login === 'eve' && c.result === 'refused' && c.cause.length > 0)).toBe(true);
		expect(failed.every((c) => c.result !== 'open')).toBe(true);
		expect(failedConnections(h.db, h.lab.now, h.lab.now + HOUR)).toEqual([]);
	});

	test('say what each phase usually takes', () => {
		const usual = usualPhases(h.db, now);
		expect(Object.keys(usual)).toEqual(expect.arrayContaining(['directory', 'profile', 'shell']));
		expect(Object.values(usual).every((ms) => ms >= 0 && ms < 5 * MINUTE)).toBe(true);
		expect(usualPhases(h.db, 1)).toEqual({});
	});
});
