import { beforeEach, describe, expect, test } from 'vitest';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { all, openDb, type Db } from '../db';
import { insertRow } from '../db/rows';
import { pressedThroughout, sampleAt, samplesBetween } from './read';
import { MINUTES_KEPT, QUARTER, SERIES, type Sampled } from './series';
import { SampleWriter } from './write';

const START = Date.UTC(2026, 2, 2);
let db: Db;
let writer: SampleWriter;
beforeEach(() => {
	db = openDb(':memory:');
	db.pragma('foreign_keys = OFF');
	writer = begin();
});
const ids = new Map([
	['a', 1],
	['b', 2]
]);
const begin = () => new SampleWriter(db, { machine: (name) => ids.get(name), host: (name) => ids.get(name) });

/** Samples of machines by their share of cores, and of one host. */
const observe = (at: number, cores: Record<string, number>, host = 0.5) =>
	writer.take(
		{
			kind: 'samples',
			seq: 0,
			at,
			machines: Object.keys(cores),
			values: Float64Array.from(Object.values(cores).flatMap((c) => [c, 0.5, 2, -1, 10, 20, 3])),
			hosts: ['a', 'nobody'],
			hostValues: Float64Array.from([host, 0.4, -1, 1, 1, 1])
		},
		0
	);

describe('what is kept of samples', () => {
	test('is declared: every table of samples, with the columns that it has', () => {
		const tables = all<{ name: string }>(
			db,
			`SELECT name FROM sqlite_master WHERE type = 'table' AND name LIKE '%samples%'`
		);
		const declared = Object.values(SERIES).flatMap(({ key, columns, tables }) =>
			tables.map(({ table }) => [table, ['at', key, ...columns]] as const)
		);
		expect(tables.map((t) => t.name).sort()).toEqual(declared.map(([table]) => table).sort());
		for (const [table, columns] of declared)
			expect((db.pragma(`table_info(${table})`) as { name: string }[]).map((c) => c.name)).toEqual(columns);
	});
	test.each(Object.keys(SERIES) as Sampled[])('of a %s each table is a whole number of the one before', (of) => {
		SERIES[of].tables.forEach(({ step }, i, tables) => {
			if (i > 0) expect(step % tables[i - 1]!.step).toBe(0);
		});
		// Something is kept for good.
		expect(SERIES[of].tables.at(-1)!.kept).toBe(Infinity);
	});
	test('sums up in any order to what the minutes say, and forgets them when they are old', () => {
		const cores = Array.from({ length: 30 }, (_v, i) => ((i * 7) % 10) / 10);
		cores.forEach((c, i) => observe(START + i * MINUTE, i % 3 ? { a: c, nobody: 1 } : { b: 0.3, a: c }, c));
		observe(START + 30 * MINUTE, { a: 0 });
		const mean = (from: number) => Math.round(cores.slice(from, from + 15).reduce((n, c) => n + c * 1000, 0) / 15);
		for (const of of ['machine', 'host'] as const)
			expect(samplesBetween(db, of, 1, START, START + DAY).rows.map((r) => [r.at, r.cores])).toEqual([
				[START, mean(0)],
				[START + QUARTER, mean(15)]
			]);
		observe(START + MINUTES_KEPT + HOUR, { a: 0.2 });
		observe(START + MINUTES_KEPT + HOUR + QUARTER, { a: 0.2 });
		expect(sampleAt(db, 'machine', 1, START + 5 * MINUTE)).toMatchObject({
			of: 'quarter hour',
			row: { cores: mean(0) }
		});
		expect(sampleAt(db, 'host', 1, START + 5 * MINUTE)).toMatchObject({ of: 'quarter hour', row: { gpu: -1 } });
	});
	test('a writer that begins anew goes on where the one before was', () => {
		for (let i = 0; i <= 15; i++) {
			if (i === 6) writer = begin();
			observe(START + i * MINUTE, { a: i / 20 }, i / 20);
		}
		const [row] = samplesBetween(db, 'machine', 1, START, START + DAY).rows;
		expect(row).toMatchObject({ cores: 350, sessions: 3 });
		expect(samplesBetween(db, 'host', 1, START, START + DAY).rows).toMatchObject([{ cores: 350, memory: 400 }]);
	});
});

test('a span is told by the finest table that has it all, in no more than some five hundred points', () => {
	for (let at = START; at <= START + 3 * DAY; at += QUARTER) observe(at, { a: 0.4 });
	const step = (from: number, to: number) => samplesBetween(db, 'machine', 1, from, to).step;
	const end = START + 3 * DAY;
	expect([
		step(end - 8 * HOUR, end),
		step(end - 9 * HOUR, end),
		step(end - 5 * DAY, end),
		step(end - 6 * DAY, end),
		// Minutes so old are kept no longer.
		step(START, START + HOUR)
	]).toEqual([MINUTE, QUARTER, QUARTER, 6 * HOUR, QUARTER]);
	expect(samplesBetween(db, 'machine', 1, START, START + DAY).rows).toHaveLength(96);
	expect(samplesBetween(db, 'machine', 2, START, START + DAY).rows).toEqual([]);
	// Hosts have no coarser one than quarter hours.
	expect(samplesBetween(db, 'host', 1, START, START + 30 * DAY).step).toBe(QUARTER);
});

describe('machines that are pressed throughout', () => {
	const from = START;
	const to = START + 20 * MINUTE;
	const put = (machine: number, minute: number, cores: number) =>
		insertRow(db, 'samples_1m', {
			at: START + minute * MINUTE,
			machine_id: machine,
			cores,
			memory: 0,
			disk: 0,
			gpu: -1,
			input: 0,
			trip: 0,
			sessions: machine,
			strain: 0
		});
	const pressed = () => pressedThroughout(db, 0.93, from, to, 18).map((p) => p.machine);
	test('are those without a minute below, also where as many minutes as may be are missing', () => {
		for (let i = 1; i <= 20; i++) {
			put(1, i, 950);
			// Missing at the end, at the beginning, in the middle.
			if (i <= 18) put(2, i, 930);
			if (i > 2) put(3, i, 1000);
			if (i !== 9 && i !== 10) put(4, i, 990);
			if (i <= 17) put(5, i, 990);
			put(6, i, i === 4 ? 929 : 990);
		}
		expect(pressed()).toEqual([1, 2, 3, 4]);
		expect(pressedThroughout(db, 0.93, from, to, 18)[2]).toEqual({
			machine: 3,
			cores: 1,
			sessions: 3,
			since: START + 3 * MINUTE
		});
	});
});
