import { wholeDirectory } from '../simulator/directory';
import { Lab } from '../simulator/lab';
import fc from 'fast-check';
import { beforeEach, describe, expect, test } from 'vitest';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one, openDb, type Db } from '../db';
import { vaultOf } from '../vault';
import { settleEstate } from '../settle';
import { verifyData } from '../verify';
import type { MachineState, Observation } from '../providers';
import { mulberry } from '../testing/chance';
import { testEstate } from '../testing/harness';
import { MINUTES_KEPT } from '../samples/series';
import { Observer } from './observer';

const QUARTER = 15 * MINUTE;
/** A quarter hour begins here. */
const START = Math.floor(Date.parse('2026-11-17T09:00:00Z') / QUARTER) * QUARTER;

let db: Db;
let observer: Observer;
let seq: number;

beforeEach(() => {
	db = openDb(':memory:');
	settleEstate(db, testEstate(), START - HOUR, {
		directory: wholeDirectory(testEstate(), new Lab(testEstate()).world),
		vault: vaultOf(Buffer.alloc(32))
	});
	observer = new Observer(db);
	seq = 0;
});

type Told = Observation extends infer O ? (O extends unknown ? Omit<O, 'seq'> : never) : never;
const numbered = (...told: Told[]): Observation[] => told.map((o) => ({ ...o, seq: ++seq }) as Observation);
const tell = (...told: Told[]) => observer.take(numbered(...told));

const made = (machine: string, at = START): Told => ({
	kind: 'made',
	at,
	machine,
	pool: 'quay',
	host: 'quay-h1',
	volume: 'quay-v1',
	version: '1.0.0',
	address: '10.1.0.10'
});
const state = (machine: string, at: number, to: MachineState): Told => ({
	kind: 'machine',
	at,
	machine,
	state: to,
	cause: `because ${to}`
});
const opened = (id: number, machine: string, at: number, person = 'anna'): Told => ({
	kind: 'connection',
	at,
	id,
	person,
	publication: 'desk',
	gateway: 'quay-gw',
	protocol: 'stream',
	address: '10.1.0.200',
	endpoint: null,
	began: at - 20_000,
	result: 'open',
	machine,
	session: id,
	phases: [
		{ name: 'waiting', ms: 7000 },
		{ name: 'shell', ms: 5000 }
	],
	cause: []
});
const samples = (at: number, machines: string[], cores: number, trip = 20): Told => ({
	kind: 'samples',
	at,
	machines,
	values: new Float64Array(machines.flatMap(() => [cores, 0.5, 2, -1, 25, trip, 1])),
	hosts: ['quay-h1'],
	hostValues: new Float64Array([cores / 2, 0.4, -1])
});
const states = (machine: string) =>
	all<{ state: string; since: number; until: number }>(
		db,
		'SELECT s.state, s.since, s.until FROM machine_states s JOIN machines m ON m.id = s.machine_id WHERE m.name = ? ORDER BY s.since',
		[machine]
	);

describe('machines', () => {
	test('their states become intervals without gaps, the last one open', () => {
		tell(made('quay-01'), state('quay-01', START + 10, 'starting'), state('quay-01', START + 90_000, 'ready'));
		expect(states('quay-01')).toEqual([
			{ state: 'off', since: START, until: START + 10 },
			{ state: 'starting', since: START + 10, until: START + 90_000 },
			{ state: 'ready', since: START + 90_000, until: FOREVER }
		]);
	});

	test('of two states in the same millisecond only the last could be seen', () => {
		tell(made('quay-01'), state('quay-01', START + 10, 'starting'), state('quay-01', START + 10, 'failed'));
		expect(states('quay-01').map((s) => s.state)).toEqual(['off', 'failed']);
	});

	test('a machine that is removed ends everywhere, and its name may come again', () => {
		tell(made('quay-01'), state('quay-01', START + 10, 'starting'));
		tell({ kind: 'unmade', at: START + 1000, machine: 'quay-01' });
		expect(one<{ n: number }>(db, `SELECT count(*) AS n FROM machine_states WHERE until = ${FOREVER}`)!.n).toBe(0);
		expect(one<{ n: number }>(db, `SELECT count(*) AS n FROM machine_spots WHERE until = ${FOREVER}`)!.n).toBe(0);
		expect(observer.machines.has('quay-01')).toBe(false);
		tell(made('quay-01', START + 2000));
		expect(all(db, `SELECT 1 FROM machines WHERE name = 'quay-01'`)).toHaveLength(2);
		expect(verifyData(db)).toEqual([]);
	});

	test('a reset keeps the owner and leaves the spot before on record', () => {
		tell(made('quay-01'), { kind: 'owner', at: START + 5, machine: 'quay-01', person: 'eve' });
		tell({ ...made('quay-01', START + 1000), version: '1.1.0' } as Told);
		expect(
			all(
				db,
				`SELECT p.version, pe.login AS owner, p.until = ${FOREVER} AS now FROM machine_spots p LEFT JOIN people pe ON pe.id = p.owner_id ORDER BY p.since`
			)
		).toEqual([
			{ version: '1.0.0', owner: null, now: 0 },
			{ version: '1.0.0', owner: 'eve', now: 0 },
			{ version: '1.1.0', owner: 'eve', now: 1 }
		]);
	});

	test('what is told of a machine that is not known is passed over', () => {
		tell(state('nobody-01', START, 'ready'), { kind: 'unmade', at: START, machine: 'nobody-01' });
		tell({ kind: 'owner', at: START, machine: 'nobody-01', person: 'eve' });
		expect(all(db, 'SELECT * FROM machines')).toEqual([]);
	});

	test('whatever states come at whatever times in order, the intervals neither overlap nor leave a gap', () => {
		fc.assert(
			fc.property(
				fc.array(
					fc.record({
						after: fc.integer({ min: 0, max: 3 }),
						to: fc.constantFrom<MachineState>('off', 'starting', 'ready', 'in use', 'failed')
					}),
					{ maxLength: 30 }
				),
				(moves) => {
					const fresh = openDb(':memory:');
					settleEstate(fresh, testEstate(), START - HOUR, {
						directory: wholeDirectory(testEstate(), new Lab(testEstate()).world),
						vault: vaultOf(Buffer.alloc(32))
					});
					const eyes = new Observer(fresh);
					let at = START;
					eyes.take([
						{ ...made('quay-01'), seq: 1 } as Observation,
						...moves.map((m, i) => ({ ...state('quay-01', (at += m.after), m.to), seq: i + 2 }) as Observation)
					]);
					const rows = all<{ since: number; until: number; state: string }>(
						fresh,
						'SELECT since, until, state FROM machine_states ORDER BY since'
					);
					rows.forEach((r, i) => {
						expect(r.until).toBeGreaterThan(r.since);
						if (i) expect(r.since).toBe(rows[i - 1]!.until);
					});
					expect(rows.at(-1)!.until).toBe(FOREVER);
					expect(rows.at(-1)!.state).toBe(moves.at(-1)?.to ?? 'off');
					fresh.close();
				}
			),
			{ numRuns: 40 }
		);
	});
});

describe('sessions', () => {
	beforeEach(() => tell(made('quay-01'), state('quay-01', START + 10, 'ready')));

	test('open with their sign-in time, change state, and end with who ended them', () => {
		tell(opened(1, 'quay-01', START + 60_000));
		expect(observer.machines.get('quay-01')!.sessions).toBe(1);
		tell({ kind: 'session', at: START + 120_000, session: 1, state: 'disconnected', cause: 'went away' });
		tell({ kind: 'session', at: START + 180_000, session: 1, state: 'ended', cause: 'signed out' });
		expect(one(db, 'SELECT since, until, sign_in, ended_by FROM sessions')).toEqual({
			since: START + 60_000,
			until: START + 180_000,
			sign_in: 12_000,
			ended_by: 'signed out'
		});
		expect(all(db, 'SELECT state, until FROM session_states ORDER BY since')).toEqual([
			{ state: 'active', until: START + 120_000 },
			{ state: 'disconnected', until: START + 180_000 }
		]);
		expect(observer.machines.get('quay-01')).toMatchObject({ sessions: 0, idleSince: START + 180_000 });
	});

	test('taken up again: a second connection, not a second session', () => {
		tell(opened(1, 'quay-01', START + 60_000));
		tell({ ...opened(2, 'quay-01', START + 90_000), session: 1 } as Told);
		expect(all(db, 'SELECT id FROM sessions')).toEqual([{ id: 1 }]);
		expect(all(db, 'SELECT id, session_id FROM connections')).toHaveLength(2);
		expect(observer.machines.get('quay-01')!.sessions).toBe(1);
	});

	test('a connection that was given up counts all its time as waiting', () => {
		tell({
			...opened(3, 'quay-01', START + 700_000),
			result: 'gave up',
			machine: null,
			session: null,
			began: START,
			phases: []
		} as Told);
		expect(one(db, 'SELECT result, waited, machine_id FROM connections')).toEqual({
			result: 'gave up',
			waited: 700_000,
			machine_id: null
		});
	});

	test('who waits is on record from the first moment to the last', () => {
		tell({ kind: 'waiting', at: START, person: 'bo', publication: 'desk', pools: ['quay', 'isle'], began: START });
		expect(one(db, 'SELECT pools, until FROM waits')).toEqual({ pools: '["quay","isle"]', until: FOREVER });
		tell({ kind: 'stopped waiting', at: START + 5000, person: 'bo', publication: 'desk' });
		expect(one(db, 'SELECT since, until FROM waits')).toEqual({ since: START, until: START + 5000 });
	});
});

describe('samples', () => {
	beforeEach(() => tell(made('quay-01'), made('quay-02')));
	const quarters = () =>
		all<Record<string, number>>(
			db,
			'SELECT at, machine_id, cores, trip, strain FROM samples_15m ORDER BY at, machine_id'
		);

	test('are kept by the minute, in thousandths and microseconds', () => {
		tell(samples(START, ['quay-01'], 0.25));
		expect(one(db, 'SELECT * FROM samples_1m')).toMatchObject({
			at: START,
			cores: 250,
			memory: 500,
			disk: 2000,
			gpu: -1,
			input: 25_000,
			trip: 20_000,
			sessions: 1
		});
		expect(one(db, 'SELECT cores, gpu FROM host_samples_1m')).toEqual({ cores: 125, gpu: -1 });
	});

	test('more machines than one statement takes are all kept, and each once', () => {
		const many = Array.from({ length: 150 }, (_, i) => `big-${i}`);
		tell(...many.map((m) => made(m)));
		tell(samples(START, [...many, 'nobody'], 0.5));
		tell(samples(START + MINUTE, many.slice(0, 64), 0.5));
		expect(all(db, 'SELECT at, count(*) AS n, count(DISTINCT machine_id) AS m FROM samples_1m GROUP BY at')).toEqual([
			{ at: START, n: 150, m: 150 },
			{ at: START + MINUTE, n: 64, m: 64 }
		]);
	});

	test('a quarter hour is the mean of its minutes, with the highest strain, for those that were up', () => {
		for (let i = 0; i < 15; i++)
			tell(samples(START + i * MINUTE, i < 5 ? ['quay-01', 'quay-02'] : ['quay-01'], i === 7 ? 1 : 0.2));
		expect(quarters()).toEqual([]);
		tell(samples(START + QUARTER, ['quay-01'], 0.2));
		const [first, second] = quarters();
		expect(first!.cores).toBe(Math.round((14 * 200 + 1000) / 15));
		expect(first!.strain).toBe(100);
		expect(second!.cores).toBe(200);
	});

	test('minutes outside what is kept are rolled up all the same', () => {
		observer.keepMinutesFrom = START + QUARTER;
		for (let i = 0; i <= 15; i++) tell(samples(START + i * MINUTE, ['quay-01'], 0.4));
		expect(all(db, 'SELECT at FROM samples_1m')).toEqual([{ at: START + QUARTER }]);
		expect(quarters()).toMatchObject([{ at: START, cores: 400 }]);
	});

	test.each([1, 2, 3, 4])(
		'belong to whoever gave them, in whatever order they come and whoever is made anew (%i)',
		(seed) => {
			const chance = mulberry(seed);
			const names = Array.from({ length: 12 }, (_, i) => `deck-${i}`);
			const idOf = (name: string) =>
				one<{ id: number }>(db, `SELECT id FROM machines WHERE name = ? AND until = ${FOREVER}`, [name])!.id;
			tell(...names.map((n) => made(n)));
			const expected: { at: number; machine_id: number; cores: number }[] = [];
			let order = [...names];
			for (let minute = 0; minute < 50; minute++) {
				const at = START + minute * MINUTE;
				// Most minutes are like the one before; in some a few are away, or come in another order, or one has been made anew.
				if (chance() < 0.2)
					order = order
						.map((n) => [chance(), n] as const)
						.sort(([a], [b]) => a - b)
						.map(([, n]) => n);
				const away = chance() < 0.4 ? names[Math.floor(chance() * names.length)] : undefined;
				if (chance() < 0.3) {
					const again = names[Math.floor(chance() * names.length)]!;
					tell({ kind: 'unmade', at, machine: again }, made(again, at));
				}
				const up = order.filter((n) => n !== away);
				const told = samples(at, ['nobody', ...up], 0.5) as Extract<Told, { kind: 'samples' }>;
				up.forEach((name, i) => {
					const cores = Math.round(chance() * 1000);
					told.values[(i + 1) * 7] = cores / 1000;
					expected.push({ at, machine_id: idOf(name), cores });
				});
				tell(told);
			}
			expect(all(db, 'SELECT at, machine_id, cores FROM samples_1m ORDER BY at, machine_id')).toEqual(
				expected.sort((a, b) => a.at - b.at || a.machine_id - b.machine_id)
			);
			// Three quarter hours have ended: each is the mean of what was given in it.
			expect(quarters().map(({ at, machine_id, cores }) => ({ at, machine_id, cores }))).toEqual(
				all(
					db,
					`SELECT at / ${QUARTER} * ${QUARTER} AS at, machine_id, CAST(round(avg(cores)) AS INTEGER) AS cores FROM samples_1m
				 WHERE at < ? GROUP BY 1, 2 ORDER BY 1, 2`,
					[START + 3 * QUARTER]
				)
			);
		}
	);

	test('minutes go after two days', () => {
		tell(samples(START, ['quay-01'], 0.4));
		tell(samples(START + MINUTES_KEPT + QUARTER + MINUTE, ['quay-01'], 0.4));
		expect(all(db, 'SELECT at FROM samples_1m')).toEqual([{ at: START + MINUTES_KEPT + QUARTER + MINUTE }]);
	});

	test('six hours close over their quarters', () => {
		const six = Math.ceil(START / (6 * HOUR)) * 6 * HOUR;
		for (let q = 0; q <= 24; q++) tell(samples(six + q * QUARTER, ['quay-01'], q < 12 ? 0.2 : 0.6));
		tell(samples(six + 25 * QUARTER, ['quay-01'], 0.6));
		expect(all(db, 'SELECT at, cores FROM samples_6h')).toEqual([{ at: six, cores: 400 }]);
	});

	test('a restart in the middle of a quarter hour changes nothing of it', () => {
		const minutes = Array.from({ length: 16 }, (_, i) => samples(START + i * MINUTE, ['quay-01'], i / 20, i * 3));
		for (const m of minutes) tell(m);
		const whole = quarters();

		const again = openDb(':memory:');
		settleEstate(again, testEstate(), START - HOUR, {
			directory: wholeDirectory(testEstate(), new Lab(testEstate()).world),
			vault: vaultOf(Buffer.alloc(32))
		});
		db = again;
		seq = 0;
		observer = new Observer(db);
		tell(made('quay-01'), made('quay-02'));
		for (const [i, m] of minutes.entries()) {
			if (i === 4 || i === 11) observer = new Observer(db);
			tell(m);
		}
		expect(quarters()).toEqual(whole);
	});
});

describe('taking in', () => {
	test('the same batch twice leaves the same rows', () => {
		const batch = numbered(
			made('quay-01'),
			state('quay-01', START + 10, 'ready'),
			opened(1, 'quay-01', START + 60_000)
		);
		observer.take(batch);
		const dump = () =>
			['machines', 'machine_states', 'sessions', 'connections'].map((t) => all(db, `SELECT * FROM ${t}`));
		const before = dump();
		observer.take(batch);
		expect(dump()).toEqual(before);
		// Also by one that starts over the same database, as after a crash.
		const next = new Observer(db);
		next.take(batch);
		expect(dump()).toEqual(before);
		expect(next.seq).toBe(3);
		expect(next.machines.get('quay-01')).toMatchObject({ state: 'ready', sessions: 1 });
	});

	test('a batch that breaks off leaves nothing of itself', () => {
		const wrong = numbered(made('quay-01'), { ...made('quay-02'), pool: 'no such pool' } as Told);
		expect(() => observer.take(wrong)).toThrow();
		expect(all(db, 'SELECT * FROM machines')).toEqual([]);
		expect(new Observer(db).seq).toBe(0);
	});
});
