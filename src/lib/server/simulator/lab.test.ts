import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deserialize, serialize } from 'node:v8';
import { describe, expect, test } from 'vitest';
import { HOUR, MINUTE } from '$lib/core/time/units';
import type { Observation } from '../providers';
import { testEstate } from '../testing/harness';
import { Lab } from './lab';
import { LabServer } from './server';
import type { World } from './state';
import { LabStore } from './store';

/** A lab whose broker lets Harbour into the pool at the quay, and whose machines are started by hand. */
function lab(change = () => {}) {
	const estate = testEstate('e2e/small.yaml', (e) => {
		e.lab.opens = Date.parse('2026-11-17T07:00:00+01:00');
		e.lab.history_days = 0;
	});
	change();
	const it = new Lab(estate);
	it.apply({
		kind: 'configure',
		config: {
			pools: [
				{
					id: 'quay',
					assignment: 'shared',
					placing: 'fill',
					machines: ['quay-01', 'quay-02', 'quay-03'],
					site: 'quay'
				},
				{ id: 'own', assignment: 'personal', placing: 'fill', machines: ['own-01', 'own-02'], site: 'quay' }
			],
			publications: [
				{ id: 'desk', pools: ['quay'], protocol: 'stream' },
				{ id: 'own', pools: ['own'], protocol: 'stream' }
			],
			grants: [
				{
					id: '1',
					publication: 'desk',
					to: { kind: 'team', id: 'harbour', name: 'Harbour' },
					conditions: {},
					channels: []
				},
				{
					id: '2',
					publication: 'own',
					to: { kind: 'person', id: 'eve', name: 'Eve' },
					conditions: { secondFactor: true },
					channels: []
				}
			],
			owners: {}
		}
	});
	return it;
}
const start = (l: Lab, machine: string) =>
	l.apply({ kind: 'operation', key: `start ${machine}`, effect: { kind: 'start', machine, why: 'test' }, usual: 1000 });
const of = <K extends Observation['kind']>(l: Lab, kind: K) =>
	l.world.observations.filter((o): o is Extract<Observation, { kind: K }> => o.kind === kind);
const rows = (l: Lab) =>
	JSON.stringify(l.world.observations, (_k, v: unknown) => (v instanceof Float64Array ? [...v] : v));
const day = 10 * HOUR;

describe('the lab', () => {
	test('gives the same history to the row, whatever steps it is advanced in', () => {
		const a = lab();
		const b = lab();
		for (const l of [a, b]) start(l, 'quay-01');
		a.advance(a.now + day);
		for (let t = b.now; t < a.now; t += 7777) b.advance(Math.min(a.now, t));
		b.advance(a.now);
		expect(of(a, 'connection').length).toBeGreaterThan(2);
		expect(rows(b)).toBe(rows(a));
	});

	test('goes on alike from a stored copy in the middle', () => {
		const a = lab();
		start(a, 'quay-01');
		a.advance(a.now + day / 3);
		const b = new Lab(a.estate, deserialize(serialize(a.world)) as World);
		a.advance(a.now + day / 2);
		b.advance(a.now);
		expect(rows(b)).toBe(rows(a));
	});

	test('another seed, another history', () => {
		const a = lab();
		const b = new Lab({ ...a.estate, lab: { ...a.estate.lab, seed: 8 } });
		b.apply({ kind: 'configure', config: a.world.broker });
		for (const l of [a, b]) {
			start(l, 'quay-01');
			l.advance(l.now + day);
		}
		expect(rows(b)).not.toBe(rows(a));
	});

	test('people come, pass through every phase in order, work and leave', () => {
		const l = lab();
		start(l, 'quay-01');
		start(l, 'quay-02');
		l.advance(l.now + 14 * HOUR);
		const open = of(l, 'connection').filter((c) => c.result === 'open');
		expect(new Set(open.map((c) => c.person))).toEqual(new Set(['anna', 'bo', 'cleo']));
		expect(open[0]!.phases.map((p) => p.name)).toEqual([
			'gateway',
			'brokering',
			'waiting',
			'protocol',
			'directory',
			'profile',
			'policies',
			'drives',
			'shell'
		]);
		expect(open.every((c) => c.phases.every((p) => p.ms >= 0))).toBe(true);
		expect(of(l, 'session').some((s) => s.state === 'ended')).toBe(true);
	});

	test('a machine passes from off through starting and agent up to ready', () => {
		const l = lab();
		start(l, 'quay-01');
		l.advance(l.now + 10 * MINUTE);
		expect(
			of(l, 'machine')
				.filter((o) => o.machine === 'quay-01')
				.map((o) => o.state)
				.slice(0, 3)
		).toEqual(['starting', 'agent up', 'ready']);
	});

	test('somebody without a machine waits, is served when one comes up, or gives up', () => {
		const l = lab();
		l.apply({ kind: 'connect', login: 'anna', publication: 'desk', secondFactor: true, key: 'k1' });
		l.advance(l.now + MINUTE);
		expect(of(l, 'waiting')).toHaveLength(1);
		start(l, 'quay-01');
		l.advance(l.now + 5 * MINUTE);
		const first = of(l, 'connection').find((c) => c.person === 'anna')!;
		expect([first.result, first.machine]).toEqual(['open', 'quay-01']);
		expect(first.phases.find((p) => p.name === 'waiting')!.ms).toBeGreaterThan(30_000);

		const m = lab();
		m.apply({ kind: 'connect', login: 'anna', publication: 'desk', secondFactor: true, key: 'k1' });
		m.advance(m.now + 15 * MINUTE);
		expect(of(m, 'connection')[0]).toMatchObject({ result: 'gave up' });
	});

	test('a personal machine that is off is started for its person, and kept for them', () => {
		const l = lab();
		l.apply({ kind: 'connect', login: 'eve', publication: 'own', secondFactor: true, key: 'k' });
		l.advance(l.now + 5 * MINUTE);
		expect(of(l, 'owner')).toMatchObject([{ machine: 'own-01', person: 'eve' }]);
		expect(of(l, 'connection')[0]).toMatchObject({ result: 'open', machine: 'own-01' });
	});

	test('whoever has no grant is refused with the fact', () => {
		const l = lab();
		l.apply({ kind: 'connect', login: 'eve', publication: 'desk', secondFactor: true, key: 'k' });
		l.advance(l.now + MINUTE);
		expect(of(l, 'connection')[0]).toMatchObject({
			result: 'refused',
			cause: [{ words: expect.stringMatching(/none of the grants/) }]
		});
	});

	test('the same key twice is one request', () => {
		const l = lab();
		start(l, 'quay-01');
		start(l, 'quay-01');
		l.advance(l.now + 5 * MINUTE);
		start(l, 'quay-01');
		l.advance(l.now + 5 * MINUTE);
		expect(of(l, 'machine').filter((o) => o.state === 'starting')).toHaveLength(1);
	});
});

describe('faults', () => {
	const ready = () => {
		const l = lab();
		start(l, 'quay-01');
		l.advance(l.now + 3 * MINUTE);
		return l;
	};
	const connect = (l: Lab) => {
		l.apply({ kind: 'connect', login: 'anna', publication: 'desk', secondFactor: true, key: `k${l.now}` });
		l.advance(l.now + 2 * MINUTE);
		return of(l, 'connection').at(-1)!;
	};
	const fault = (l: Lab, kind: 'agent-stopped', target: string, value: number | null = null) =>
		l.apply({ kind: 'fault', fault: kind, target, value }) as number;

	test.each([
		['machine-hangs', /hangs/],
		['trust-lost', /does not trust/]
	] as const)('%s loses the sign-in, and says so', (kind, words) => {
		const l = ready();
		fault(l, kind as 'agent-stopped', 'quay-01');
		const c = connect(l);
		expect(c.result).toBe('lost');
		expect(c.cause[0]!.words).toMatch(words);
	});

	test('a gateway that announces wrong ports loses every connection, and is well again once cleared', () => {
		const l = ready();
		const ids = ['stream', 'framebuffer'].map((p) => fault(l, 'gateway-port' as 'agent-stopped', `quay-gw/${p}`, 999));
		expect(l.probe('quay-01').at(-1)).toMatchObject({ name: 'gateway', ok: false });
		for (const login of ['bo', 'cleo'])
			l.apply({ kind: 'connect', login, publication: 'desk', secondFactor: true, key: login });
		l.advance(l.now + MINUTE);
		const ended = of(l, 'connection');
		expect(ended.map((c) => c.result)).toEqual(['lost', 'lost']);
		for (const c of ended) expect(c.cause[0]!.words).toMatch(/announces port 999/);
		for (const id of ids) l.apply({ kind: 'clear fault', id });
		expect(l.probe('quay-01').at(-1)).toMatchObject({ name: 'gateway', ok: true });
		expect(connect(l).result).toBe('open');
	});

	test('a slow directory lengthens that phase alone', () => {
		const usual = connect(ready());
		const l = ready();
		fault(l, 'directory-slow' as 'agent-stopped', 'quay', 9);
		const slow = connect(l);
		const ms = (c: typeof slow, name: string) => c.phases.find((p) => p.name === name)!.ms;
		expect(ms(slow, 'directory')).toBeGreaterThan(5 * ms(usual, 'directory'));
		expect(ms(slow, 'profile')).toBe(ms(usual, 'profile'));
		expect(slow.phases.find((p) => p.name === 'directory')!.cause).toMatch(/9 times slower/);
	});

	test('a host that goes down takes its machines and sessions, and gives the machines back off', () => {
		const l = ready();
		connect(l);
		const host = l.world.machines.get('quay-01')!.host;
		const id = fault(l, 'host-down' as 'agent-stopped', host);
		expect(l.world.machines.get('quay-01')!.state).toBe('failed');
		expect(of(l, 'session').at(-1)).toMatchObject({ state: 'ended', cause: expect.stringMatching(/went down/) });
		l.apply({ kind: 'clear fault', id });
		expect(l.world.machines.get('quay-01')!.state).toBe('off');
	});

	test('a runaway process strains its machine', () => {
		const l = ready();
		fault(l, 'runaway' as 'agent-stopped', 'quay-01');
		l.advance(l.now + 2 * MINUTE);
		expect(l.world.machines.get('quay-01')!.strain).toBeGreaterThan(90);
	});

	test('a used-up range and a full volume stop machines from being made', async () => {
		const l = ready();
		const server = new LabServer(l);
		const spec = { ...l.world.machines.get('quay-01')!, name: 'quay-90' };
		fault(l, 'range-used-up' as 'agent-stopped', 'quay-desks');
		const made = server.providers.compute.create(spec, 'a');
		server.advance(l.now + 30 * MINUTE);
		await expect(made).rejects.toThrow(/no free address/);
		expect(await server.providers.network.free('quay-desks')).toBe(0);
		fault(l, 'volume-full' as 'agent-stopped', 'quay-v1', 1);
		const again = server.providers.compute.create(spec, 'b');
		server.advance(l.now + 60 * MINUTE);
		await expect(again).rejects.toThrow(/is full/);
	});

	test('what is not there cannot fail', () => {
		const l = ready();
		expect(() => fault(l, 'agent-stopped', 'nowhere-1')).toThrow(/no machine nowhere-1/);
	});
});

describe('the lab’s store', () => {
	test('brings back the same world after a crash at any point, commands included', () => {
		const path = join(mkdtempSync(join(tmpdir(), 'sextant-')), 'lab.db');
		const first = lab();
		const store = new LabStore(path);
		store.snapshot(first, 60);
		const server = new LabServer(first, (c) => store.record(first.now, c));
		server.advance(first.now + 20 * MINUTE);
		void server.providers.compute.start('quay-01', 'test', 'k1');
		server.advance(first.now + 3 * HOUR);
		void server.providers.broker.connect('anna', 'desk', true, 'k2');
		server.advance(first.now + HOUR);
		store.mark(first.now, 60);
		// No snapshot, no clean end: what a killed process leaves.
		store.close();
		const loaded = new LabStore(path).load()!;
		expect(loaded.speed).toBe(60);
		expect(loaded.lab.now).toBe(first.now);
		expect(rows(loaded.lab)).toBe(rows(first));
	});
});
